import { fetchLabels, sayPrinted } from "./queries";

/** What papers are asked for: shipments by themselves, by their orders, or everything of a batch. */
export interface Meant {
  shipments?: number[];
  orders?: number[];
  batch?: number;
}

/** More ids than this do not fit into the address of a page; then the labels are asked for by POST. */
const MOST_IN_ADDRESS = 300;

export function addressOf(path: string, meant: Meant, more: Record<string, string> = {}): string {
  const asked = new URLSearchParams();
  if (meant.batch) asked.append("batch", String(meant.batch));
  for (const id of meant.orders ?? []) asked.append("order", String(id));
  for (const id of meant.shipments ?? []) asked.append("shipment", String(id));
  for (const [key, value] of Object.entries(more)) asked.append(key, value);
  return `/api/${path}?${asked}`;
}

/** Open the labels of orders in one file, in one request however many they are. */
export async function openLabels(orders: number[]): Promise<void> {
  if (orders.length <= MOST_IN_ADDRESS) {
    window.open(addressOf("labels.pdf", { orders }), "_blank");
    return;
  }
  const body = { order_ids: orders, shipment_ids: [], paper: "", sequence: "selected" as const };
  const file = await fetchLabels(body);
  window.open(URL.createObjectURL(file), "_blank");
}

/** Opening a file prints nothing; that paper came out is said by whoever saw it. */
export async function markPrinted(meant: Meant, printed = true): Promise<number> {
  const body = {
    shipment_ids: meant.shipments ?? [],
    order_ids: meant.orders ?? [],
    batch_id: meant.batch ?? null,
    printed,
  };
  return (await sayPrinted(body)).count;
}

const PAPERS: Record<string, string> = {
  roll: "Roll 102 × 152 mm",
  narrow: "Narrow roll 62 mm",
  a4: "A4",
  letter: "Letter",
  a5: "A5",
};

/** A paper by its name on screen. */
export const paperShort = (paper: string): string => PAPERS[paper] ?? paper;
