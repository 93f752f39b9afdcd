import { units } from "./units";

/** Money, weights, sizes and dates as people read them; the only place that converts. */

export function money(minor: number | null | undefined, currency = "EUR"): string {
  if (minor === null || minor === undefined) return "–";
  return new Intl.NumberFormat("en-GB", { style: "currency", currency }).format(minor / 100);
}

export function kilograms(grams: number): string {
  if (units.value === "imperial") {
    const ounces = grams / 28.349523125;
    return ounces < 16 ? `${ounces.toFixed(1)} oz` : `${(ounces / 16).toFixed(2)} lb`;
  }
  return grams < 1000 ? `${grams} g` : `${(grams / 1000).toFixed(2)} kg`;
}

export function centimetres(mm: readonly number[]): string {
  if (units.value === "imperial") return `${mm.map((side) => (side / 25.4).toFixed(1)).join(" × ")} in`;
  return `${mm.map((side) => side / 10).join(" × ")} cm`;
}

const DAY = new Intl.DateTimeFormat("en-GB", { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" });

/** "2026-11-24" → "Tue 24 Nov". */
export function day(iso: string | null | undefined): string {
  if (!iso) return "–";
  return DAY.format(new Date(`${iso.slice(0, 10)}T00:00:00Z`)).replace(",", "").replace("Sept", "Sep");
}

export function clock(iso: string | Date, timeZone: string): string {
  return new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone }).format(new Date(iso));
}

export function dayAndClock(iso: string, timeZone: string): string {
  const date = new Intl.DateTimeFormat("en-CA", { timeZone }).format(new Date(iso));
  return `${day(date)} ${clock(iso, timeZone)}`;
}

export function localDay(at: Date, timeZone: string): string {
  return new Intl.DateTimeFormat("en-CA", { timeZone }).format(at);
}

export function timeLeft(until: string, now: Date): string {
  const minutes = Math.round((new Date(until).getTime() - now.getTime()) / 60_000);
  if (minutes < 0) return "past";
  if (minutes < 60) return `in ${minutes} min`;
  if (minutes < 36 * 60) return `in ${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, "0")}`;
  return `in ${Math.round(minutes / 1440)} days`;
}

export function count(n: number, one: string, many = `${one}s`): string {
  return `${n.toLocaleString("en-GB")} ${n === 1 ? one : many}`;
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
export function trackingWords(state: string): string {
  return STATES[state] ?? state;
}

const COUNTRIES = new Intl.DisplayNames("en-GB", { type: "region", fallback: "code" });
export function country(code: string): string {
  return /^[A-Z]{2}$/.test(code) ? (COUNTRIES.of(code) ?? code) : code;
}
