import { clock, day } from "../../../shared/format";
import type { Schemas } from "../../../api/client";
import type { OrderRow, PickedOrder } from "../queries";

type Departure = Schemas["DepartureOut"];
export interface Group {
  key: string;
  title: string;
  cut: string;
  rows: OrderRow[];
}
export type Item =
  { kind: "group"; key: string; group: Group } | { kind: "row"; key: string; row: OrderRow };

const STATES: Record<string, string> = {
  held: "Held",
  left_out: "Left out",
  cancelled: "Cancelled",
  shipped: "Shipped",
  part_shipped: "Shipped in part",
};
export function stateWords(state: string): string {
  return STATES[state] ?? state;
}

function place(
  row: OrderRow,
  departures: Departure[],
  zone: string,
): { key: string; title: string; cut: string } {
  const departure = departures.find(
    (d) => d.carrier === row.carrier && d.network === row.network && d.day === row.ship_date,
  );
  if (row.state !== "open") return { key: `9${row.state}`, title: stateWords(row.state), cut: "" };
  if (row.buying) return { key: "8", title: "Being bought", cut: "" };
  if (departure)
    return {
      key: `1${departure.cutoff_at}${departure.name}`,
      title: `${departure.name} · ${clock(departure.cutoff_at, zone)}`,
      cut: departure.cutoff_at,
    };
  if (row.ship_date) {
    const name =
      departures.find((d) => d.carrier === row.carrier && d.network === row.network)?.name ??
      row.service_name ??
      "";
    return {
      key: `2${row.ship_date}${row.carrier}${row.network}`,
      title: `${day(row.ship_date)} · ${name}`,
      cut: "",
    };
  }
  return { key: "0", title: "Needs a decision", cut: "" };
}

/** Waiting orders stand under the departure they can catch; what has no price stands first. Other sortings are not grouped. */
export function groupsOf(
  rows: readonly OrderRow[],
  departures: Departure[],
  zone: string,
  grouped: boolean,
): Group[] {
  if (!grouped) return rows.length ? [{ key: "all", title: "", cut: "", rows: [...rows] }] : [];
  const found = new Map<string, Group>();
  for (const row of rows) {
    const at = place(row, departures, zone);
    const group = found.get(at.key) ?? { ...at, rows: [] };
    group.rows.push(row);
    found.set(at.key, group);
  }
  return [...found.values()].sort((a, b) => a.key.localeCompare(b.key));
}

export function itemsOf(groups: readonly Group[]): Item[] {
  return groups.flatMap((group) => [
    ...(group.title ? [{ kind: "group" as const, key: `g${group.key}`, group }] : []),
    ...group.rows.map((row) => ({ kind: "row" as const, key: `r${row.id}`, row })),
  ]);
}

export function late(row: PickedOrder): boolean {
  return Boolean(row.arrives && row.promise_date && row.arrives > row.promise_date);
}
