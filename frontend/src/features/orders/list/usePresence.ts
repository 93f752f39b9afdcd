import { watchDebounced, useIntervalFn } from "@vueuse/core";
import { computed, type Ref } from "vue";
import { letGo, startWork } from "../queries";
import { useSelection } from "../../../shared/selection";

/** As many as the server takes in one message. */
const MOST = 2_000;

/** Let others see what is being worked on here: the open order and what is selected. */
export function usePresence(openId: Ref<number>): void {
  const selection = useSelection();
  const ids = computed(() =>
    [...new Set([...(openId.value ? [openId.value] : []), ...selection.chosen.keys()])].slice(
      0,
      MOST,
    ),
  );
  let told: number[] = [];
  async function beat(): Promise<void> {
    const here = new Set(ids.value);
    const gone = told.filter((id) => !here.has(id));
    told = ids.value;
    try {
      if (gone.length) await letGo({ order_ids: gone });
      if (told.length) await startWork({ order_ids: told, take_over: false });
    } catch {
      // Being seen by others is a courtesy; work goes on without it, and the next beat tries again.
    }
  }
  watchDebounced(ids, beat, { debounce: 300 });
  useIntervalFn(beat, 45_000);
}
