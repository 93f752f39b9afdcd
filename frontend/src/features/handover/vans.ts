import { type Schemas } from "../../api/client";
import { clock } from "../../shared/format";

type Departure = Schemas["DepartureOut"];

/** How a departure leaves, in words; nothing while nothing goes with it. */
export function vanWords(d: Departure, zone: string): string {
  const something = d.printed + d.bought + d.to_buy > 0;
  switch (d.fetched) {
    case "booked":
      return `✓ van ${d.van_from}–${d.van_until}`;
    case "asked":
      return "van is being asked for";
    case "done":
    case "handed_over":
      return "✓ handed over";
    case "missed":
      return "✕ its van did not come";
    case "brought":
      return "taken there by us";
    case "not_asked":
      return something ? `no van yet, ask until ${clock(d.ask_until!, zone)}` : "";
    case "too_late":
      return something ? "✕ nobody fetches it" : "";
    default:
      return something ? "to take along" : "";
  }
}
export const vanClass = (d: Departure) => ({
  stop: d.fetched === "missed" || d.fetched === "too_late",
  press: d.fetched === "not_asked",
  fine: ["booked", "done", "handed_over"].includes(d.fetched),
  mute: ["asked", "brought", "never"].includes(d.fetched),
});

/** How many more parcels lie ready than the van that is booked was asked for. */
export const moreThanBooked = (lane: Schemas["LaneOut"]): number =>
  lane.pickup?.state === "booked"
    ? Math.max(lane.piles.reduce((n, p) => n + p.labels, 0) - lane.pickup.parcels, 0)
    : 0;
