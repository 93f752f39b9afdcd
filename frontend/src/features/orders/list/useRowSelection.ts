import { computed, ref, type Ref } from "vue";
import { useSelection } from "../../../shared/selection";
import { pickOrders, type Asks, type OrderRow } from "../queries";
import type { Group } from "./grouping";

/** The row of the arrow keys, and selecting by key, by mouse, by group and all at once. */
export function useRowSelection(rows: Ref<OrderRow[]>, asks: Ref<Asks>) {
  const selection = useSelection();
  const index = computed(() => new Map(rows.value.map((row, i) => [row.id, i])));
  // The place is an order, not a line: rows come, go and change groups while somebody selects. Only
  // where the order has left the list does its last line count.
  const place = ref<{ id?: number; line: number }>({ line: 0 });
  const at = computed(() => {
    const line = index.value.get(place.value.id ?? 0) ?? place.value.line;
    return Math.max(0, Math.min(line, rows.value.length - 1));
  });
  const current = computed(() => rows.value[at.value]);
  /** What a key or button is about: the selected orders, or else the row of the arrow keys. */
  const meant = computed(() =>
    selection.rows.length ? selection.rows : current.value ? [current.value] : [],
  );
  let anchor = 0;
  let picking: Promise<unknown> | undefined;

  function stand(line: number): void {
    const there = Math.max(0, Math.min(line, rows.value.length - 1));
    place.value = { id: rows.value[there]?.id, line: there };
  }
  function goTo(id: number): void {
    stand(index.value.get(id) ?? at.value);
  }
  /** Other rows are asked for: the first of them is the one. */
  function toStart(): void {
    place.value = { line: 0 };
  }
  function step(by: number, select: boolean): void {
    const before = current.value;
    stand(at.value + by);
    if (!select || !before || !current.value) return;
    selection.set(before, true);
    selection.set(current.value, true);
  }
  function toggleCurrent(): void {
    if (current.value) selection.set(current.value, !selection.chosen.has(current.value.id));
  }
  function pick(row: OrderRow, event: MouseEvent): void {
    const here = index.value.get(row.id) ?? 0;
    if (event.shiftKey) {
      const start = index.value.get(anchor) ?? here;
      const [from, to] = [Math.min(start, here), Math.max(start, here)];
      for (const r of rows.value.slice(from, to + 1)) selection.set(r, true);
    } else {
      selection.set(row, !selection.chosen.has(row.id));
      anchor = row.id;
    }
    stand(here);
  }
  function pickGroup(group: Group): void {
    const all = group.rows.every((r) => selection.chosen.has(r.id));
    for (const r of group.rows) selection.set(r, !all);
  }
  /** Select everything that is asked for, also what has not been scrolled to; return how many were left out. */
  async function pickAll(): Promise<number> {
    const answer = pickOrders(asks.value);
    const settled = answer.catch(() => undefined);
    picking = settled;
    try {
      const picked = await answer;
      selection.setAll(picked.orders);
      return picked.matching - picked.orders.length;
    } finally {
      if (picking === settled) picking = undefined;
    }
  }
  /** Let an action wait for the selection that was asked for before it: keys come faster than answers. */
  function afterPicking(action: () => void): void {
    if (picking) void picking.then(() => window.setTimeout(action));
    else action();
  }
  return {
    at,
    current,
    meant,
    goTo,
    toStart,
    step,
    toggleCurrent,
    pick,
    pickGroup,
    pickAll,
    afterPicking,
  };
}
