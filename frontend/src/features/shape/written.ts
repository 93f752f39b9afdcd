/** Rules in their written form, as the API has them; see docs/rules.md. */
export type Operand = string | number | boolean | string[] | number[];
export interface Test {
  fact: string;
  test: string;
  to: Operand;
}
export type Condition = { all: Condition[] } | { any: Condition[] } | { not: Condition } | Test;
export interface Action {
  set: string;
  to?: unknown;
}
export interface Rule {
  id: string;
  name: string;
  on: boolean;
  when: Condition;
  do: Action[];
}

export function isTest(c: Condition): c is Test {
  return "fact" in c;
}
export function parts(c: Condition): Condition[] {
  return "all" in c ? c.all : "any" in c ? c.any : [];
}
/** A rule's condition always opens with all or any in the editor; a bare test or a not is wrapped. */
export function opened(c: Condition): { all: Condition[] } | { any: Condition[] } {
  return "all" in c || "any" in c ? c : { all: [c] };
}
export function fresh(): Rule {
  return {
    id: `r-${Date.now().toString(36)}${Math.random().toString(36).slice(2, 6)}`,
    name: "New rule",
    on: true,
    when: { all: [{ fact: "value", test: "at_least", to: 8000 }] },
    do: [{ set: "add_extra", to: "signature" }],
  };
}
export const copy = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

export const TEST_WORDS: Record<string, string> = {
  is_any_of: "is any of",
  is_none_of: "is none of",
  is: "is",
  is_not: "is not",
  contains: "contains",
  contains_not: "does not contain",
  starts_with: "starts with",
  is_in: "is in",
  is_not_in: "is not in",
  includes_any: "include any of",
  includes_all: "include all of",
  includes_none: "include none of",
  includes_only: "are only",
  from: "is at or after",
  before: "is before",
  more_than: "is more than",
  at_least: "is at least",
  less_than: "is less than",
  at_most: "is at most",
  between: "is from … to …",
  equals: "is exactly",
};
const NUMBER_UNITS: Record<string, [number, string]> = {
  money: [100, ""],
  weight: [1, "g"],
  length: [10, "cm"],
  volume: [1, "cm³"],
  count: [1, ""],
};
export function unitOf(kind: string, currency: string): string {
  return kind === "money" ? currency : (NUMBER_UNITS[kind]?.[1] ?? "");
}
export function shownNumber(kind: string, value: unknown): string {
  const times = NUMBER_UNITS[kind]?.[0] ?? 1;
  return typeof value === "number" ? String(value / times) : "";
}
export function readNumber(kind: string, text: string): number {
  const value = Number(text.replace(",", "."));
  return Number.isFinite(value)
    ? Math.max(0, Math.round(value * (NUMBER_UNITS[kind]?.[0] ?? 1)))
    : 0;
}
/** What a test compares with when its fact or test has just been chosen. */
export function firstOperand(kind: string, test: string, values: readonly string[]): Operand {
  if (kind in NUMBER_UNITS) return test === "between" ? [0, 0] : 0;
  if (kind === "flag") return true;
  if (kind === "time") return "14:00";
  if (kind === "text") return "";
  return values.length ? [values[0]!] : [];
}
