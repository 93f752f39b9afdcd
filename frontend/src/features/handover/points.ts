import type { Point } from "./queries";

/** How far a point is, as it stands behind its name. */
export const far = (p: Point): string =>
  p.distance_m === null
    ? ""
    : p.distance_m < 950
      ? `, ${Math.round(p.distance_m / 50) * 50} m`
      : `, ${(p.distance_m / 1000).toFixed(1)} km`;

/** Until when a point is open on the day it is asked for. */
export function openUntil(p: Point): string {
  if (!p.closes) return p.hours || "hours not known";
  return p.opens && p.opens !== "00:00"
    ? `open ${p.opens} to ${p.closes}`
    : p.closes === "23:59"
      ? "open day and night"
      : `open until ${p.closes}`;
}
