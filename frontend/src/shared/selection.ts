import { defineStore } from "pinia";
import { computed, ref } from "vue";
import type { Schemas } from "../api/client";

/** What has to be known of a selected order, whether it was seen in the list or not. */
export type Row = Schemas["PickedOrder"];

/** The selected orders; they stay selected over pages, views and searches. */
export const useSelection = defineStore("selection", () => {
  const chosen = ref(new Map<number, Row>());
  /** The newest change of any order when somebody began to select: what others did later is not written over. */
  const seen = ref<number>();
  const rows = computed(() => [...chosen.value.values()]);
  const buyable = computed(() =>
    rows.value.filter((row) => row.state === "open" && !row.buying && row.price_minor !== null),
  );
  const total = computed(() => buyable.value.reduce((sum, row) => sum + (row.price_minor ?? 0), 0));
  const labels = computed(() => buyable.value.reduce((sum, row) => sum + row.parcel_count, 0));

  function set(row: Row, on: boolean): void {
    if (on) chosen.value.set(row.id, row);
    else chosen.value.delete(row.id);
  }
  function setAll(rows: readonly Row[]): void {
    // One new map, so that what hangs on it is worked out once and not once for each of thousands.
    chosen.value = new Map([...chosen.value, ...rows.map((row) => [row.id, row] as const)]);
  }
  /** Keep what is selected up to date with what the list now says. */
  function refresh(fresh: readonly Row[]): void {
    for (const row of fresh) if (chosen.value.has(row.id)) chosen.value.set(row.id, row);
  }
  function clear(): void {
    chosen.value.clear();
  }
  return { chosen, seen, rows, buyable, total, labels, set, setAll, refresh, clear };
});
