import { units } from "./units";

/** Money, weights, sizes and dates as people read them; the only place that converts. */

const FORMATS = new Map<string, Intl.NumberFormat>();
function formatOf(currency: string): Intl.NumberFormat {
  let format = FORMATS.get(currency);
  if (!format) {
    format = new Intl.NumberFormat("en-GB", { style: "currency", currency });
    FORMATS.set(currency, format);
  }
  return format;
}
/** How many decimals a currency has (ISO 4217): two for euros, none for yen. */
export function digitsOf(currency: string): number {
  return formatOf(currency).resolvedOptions().maximumFractionDigits ?? 2;
}
/** An amount without its currency, for fields and narrow columns: "6.10". */
export function amountText(minor: number, currency: string): string {
  const digits = digitsOf(currency);
  return (minor / 10 ** digits).toFixed(digits);
}
/** What was typed as an amount, in minor units; undefined where it is none. */
export function minorOf(typed: string, currency: string): number | undefined {
  const digits = digitsOf(currency);
  const plain = typed.trim().replace(",", ".");
  if (!/^\d{1,9}(\.\d*)?$/.test(plain)) return undefined;
  const [whole = "0", rest = ""] = plain.split(".");
  if (rest.length > digits) return undefined;
  return Number(whole) * 10 ** digits + Number(rest.padEnd(digits, "0") || 0);
}

export function money(minor: number | null | undefined, currency = "EUR"): string {
  if (minor === null || minor === undefined) return "–";
  return formatOf(currency).format(minor / 10 ** digitsOf(currency));
}

/** A figure and its unit stay on one line: the blank between them does not break. */
export function kilograms(grams: number): string {
  // As the server writes them (core/quantities.weight_in): what is not alike must not read alike.
  if (units.value === "imperial")
    return `${(Math.max(Math.round((grams * 100) / 453.59237), 1) / 100).toFixed(2)}\u00a0lb`;
  return Math.abs(grams) < 1000 ? `${grams}\u00a0g` : `${grams / 1000}\u00a0kg`;
}

export function centimetres(mm: readonly number[]): string {
  if (units.value === "imperial")
    return `${mm.map((side) => (side / 25.4).toFixed(1)).join(" × ")}\u00a0in`;
  return `${mm.map((side) => side / 10).join(" × ")}\u00a0cm`;
}

const MM3_IN_DM3 = 1_000_000;
const MM3_IN_CUBIC_FOOT = 28_316_846.592;
/** How much room a pile takes: litres while it is little, then cubic metres; cubic feet in an imperial shop. */
export function roomTaken(mm3: number): string {
  if (units.value === "imperial") return `${(mm3 / MM3_IN_CUBIC_FOOT).toFixed(2)}\u00a0ft³`;
  const litres = mm3 / MM3_IN_DM3;
  return litres < 100 ? `${litres.toFixed(1)}\u00a0l` : `${(litres / 1000).toFixed(2)}\u00a0m³`;
}

const DAY = new Intl.DateTimeFormat("en-GB", {
  weekday: "short",
  day: "numeric",
  month: "short",
  timeZone: "UTC",
});

/** "2026-11-24" → "Tue 24 Nov". */
export function day(iso: string | null | undefined): string {
  if (!iso) return "–";
  return DAY.format(new Date(`${iso.slice(0, 10)}T00:00:00Z`))
    .replace(",", "")
    .replace("Sept", "Sep");
}

/** "2026-11-24" → "Tue 24 Nov 2026". */
export function longDay(iso: string): string {
  return `${day(iso)} ${iso.slice(0, 4)}`;
}

const MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];
/** A typed day as ISO: "24 Nov", "24.11.", "24/11/2026", "2026-11-24"; without a year the next such day. */
export function readDay(typed: string, today: string): string | undefined {
  const text = typed
    .trim()
    .toLowerCase()
    .replace(/^[a-z]{2,9}\.?,?\s+(?=\d)/, "");
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(text);
  const plain = /^(\d{1,2})[./\s-]+(\d{1,2}|[a-z]{3,9})\.?(?:[./\s-]*(\d{4}))?\.?$/.exec(text);
  const found = iso ? [iso[3], iso[2], iso[1]] : plain ? [plain[1], plain[2], plain[3]] : undefined;
  if (!found) return undefined;
  const [d, m, y] = found;
  const month = /^\d/.test(m ?? "") ? Number(m) : MONTHS.indexOf((m ?? "").slice(0, 3)) + 1;
  const write = (year: number) =>
    `${year}-${String(month).padStart(2, "0")}-${String(d).padStart(2, "0")}`;
  const real = (text_: string) => new Date(`${text_}T00:00:00Z`).toISOString().startsWith(text_);
  if (month < 1 || month > 12 || Number(d) < 1 || Number(d) > 31) return undefined;
  const year = Number(y ?? today.slice(0, 4));
  const day_ = !y && write(year) < today ? write(year + 1) : write(year);
  return real(day_) ? day_ : undefined;
}

export function clock(iso: string | Date, timeZone: string): string {
  return new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone }).format(
    new Date(iso),
  );
}

export function dayAndClock(iso: string, timeZone: string): string {
  const date = new Intl.DateTimeFormat("en-CA", { timeZone }).format(new Date(iso));
  return `${day(date)} ${clock(iso, timeZone)}`;
}

export function localDay(at: Date, timeZone: string): string {
  return new Intl.DateTimeFormat("en-CA", { timeZone }).format(at);
}

/** The instant (ISO 8601) at which a clock in a zone shows a day and a time, "09:30". */
export function instantOf(isoDay: string, time: string, timeZone: string): string {
  const guess = new Date(`${isoDay}T${time}:00Z`);
  const shown = new Date(`${guess.toLocaleString("sv-SE", { timeZone }).replace(" ", "T")}Z`);
  return new Date(2 * guess.getTime() - shown.getTime()).toISOString();
}

/** How long until an instant: minutes and hours by the clock, and beyond them days of the calendar. */
export function timeLeft(until: string, now: Date, timeZone: string): string {
  const minutes = Math.round((new Date(until).getTime() - now.getTime()) / 60_000);
  if (minutes < 0) return "past";
  if (minutes < 60) return `in ${minutes} min`;
  if (minutes < 36 * 60)
    return `in ${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, "0")}`;
  const [then, today] = [new Date(until), now].map((at) => Date.parse(localDay(at, timeZone)));
  const days = Math.round((then! - today!) / 86_400_000);
  return days === 1 ? "tomorrow" : `in ${days} days`;
}

/** A number as it is read: 12,345; nothing while it is not known. */
export function number(n: number | null | undefined): string {
  return n === null || n === undefined ? "" : n.toLocaleString("en-GB");
}

/** A sentence begins with a capital. */
export function capital(words: string): string {
  return words.slice(0, 1).toUpperCase() + words.slice(1);
}

export function count(n: number, one: string, many = `${one}s`): string {
  return `${number(n)} ${n === 1 ? one : many}`;
}

const STATES: Record<string, string> = {
  announced: "Announced",
  accepted: "Taken over",
  moving: "On its way",
  out_for_delivery: "Out for delivery",
  awaiting_collection: "Waiting to be collected",
  delivered: "Delivered",
  problem: "Problem",
  returning: "Coming back",
  returned: "Came back",
  lost: "Lost",
};
const GROUPS: Record<string, string> = {
  same_region: "Same region",
  country: "Rest of the country",
  islands: "Islands",
  neighbours: "Neighbours",
  world: "World",
};
/** What a group of destinations is called. */
export function groupWords(group: string): string {
  return GROUPS[group] ?? group;
}

export function trackingWords(state: string): string {
  return STATES[state] ?? state;
}

const COUNTRIES = new Intl.DisplayNames("en-GB", { type: "region", fallback: "code" });
export function country(code: string): string {
  return /^[A-Z]{2}$/.test(code) ? (COUNTRIES.of(code) ?? code) : code;
}

/** A customs code as it is printed: `8201.90`, and what a country adds in pairs. */
export function codeText(code: string): string {
  const plain = code.replace(/\D/g, "");
  const rest = plain.slice(6).match(/.{1,2}/g) ?? [];
  return [plain.slice(0, 4), plain.slice(4, 6), ...rest].filter(Boolean).join(".");
}
