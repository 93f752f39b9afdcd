/** What a pull did with orders, in the words of its counts. */
export const COUNTS: Record<string, string> = {
  made: "new",
  already: "known",
  kept_back: "kept back",
  ignored: "not fetched",
  changed: "changed there",
  unreadable: "could not be read",
};
/** The counts of a pull in a few words. */
export function said(counts: Record<string, unknown>): string {
  return (
    Object.entries(counts)
      .filter(([k, n]) => k in COUNTS && Number(n) > 0)
      .map(([k, n]) => `${n as number} ${COUNTS[k]}`)
      .join(", ") || "nothing new"
  );
}
