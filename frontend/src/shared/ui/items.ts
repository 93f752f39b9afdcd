/** Codes and their names, as the fields of choice take them. */
export function named(names: Record<string, string>): { value: string; title: string }[] {
  return Object.entries(names).map(([value, title]) => ({ value, title }));
}
