<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { count, day } from "../../shared/format";
import { useKeys } from "../../shared/keyboard";
import { ErrorNote } from "../../shared/ui";
import DepartureLane from "./DepartureLane.vue";
import DeparturePile from "./DeparturePile.vue";
import { departuresQuery } from "./queries";

/** The handovers of a day, one lane each along the clock; the chosen one opens as what lies there and how it is fetched. */
const wanted = ref<string>();
const { data, error, isPending } = useQuery(computed(() => departuresQuery(wanted.value)));
const lanes = computed(() => data.value?.lanes ?? []);
/** Until somebody chooses: the first one with something in it, or still to come into it. */
const asked = ref<number>();
const first = computed(() =>
  Math.max(
    lanes.value.findIndex((l) => l.piles.length || l.to_buy),
    0,
  ),
);
const chosen = computed(() => Math.min(asked.value ?? first.value, lanes.value.length - 1));
const here = computed(() => lanes.value[chosen.value]);
const labels = computed(() =>
  lanes.value.reduce((n, lane) => n + lane.piles.reduce((m, p) => m + p.labels, 0), 0),
);
const unprinted = computed(() =>
  lanes.value.reduce((n, lane) => n + lane.piles.reduce((m, p) => m + p.labels - p.printed, 0), 0),
);
const toBuy = computed(() => lanes.value.reduce((n, lane) => n + lane.to_buy, 0));
const said = computed(() =>
  [
    count(labels.value, "label"),
    unprinted.value ? `${unprinted.value} not printed` : "",
    toBuy.value ? `${count(toBuy.value, "order")} still to buy` : "",
  ]
    .filter(Boolean)
    .join(", "),
);
function show(d: string): void {
  wanted.value = d;
  asked.value = undefined;
}
const turn = (by: number) => {
  const days = data.value?.days ?? [];
  const at = days.indexOf(data.value?.day ?? "") + by;
  if (days[at]) show(days[at]);
};
useKeys({
  ArrowDown: () => (asked.value = Math.min(chosen.value + 1, lanes.value.length - 1)),
  ArrowUp: () => (asked.value = Math.max(chosen.value - 1, 0)),
  ArrowRight: () => turn(1),
  ArrowLeft: () => turn(-1),
});
</script>

<template>
  <div class="page" tabindex="0" role="region" aria-label="Departures">
    <div class="head">
      <h1>Departures</h1>
      <span v-if="data" class="mute">{{ day(data.day) }}: {{ said }}</span>
      <span class="grow" />
      <button
        v-for="(d, i) in data?.days"
        :key="d"
        type="button"
        class="chip"
        :aria-pressed="d === data?.day"
        @click="show(d)"
      >
        {{ i === 0 ? "Today" : day(d) }}
      </button>
    </div>
    <ErrorNote :error="error" />
    <p v-if="isPending" class="empty">Fetching the departures…</p>
    <p v-else-if="!lanes.length" class="empty panel">
      No carrier yet, so nothing can leave. Add one in Set-up, Carriers.
    </p>
    <template v-else-if="data">
      <div class="lanes" role="listbox" aria-label="Departures of the day">
        <DepartureLane
          v-for="(lane, i) in lanes"
          :key="lane.carrier + lane.network"
          :lane="lane"
          :chosen="lane === here"
          @choose="asked = i"
        />
      </div>
      <DeparturePile v-if="here" :lane="here" />
    </template>
  </div>
</template>

<style scoped>
.lanes {
  border: 1px solid var(--line);
  background: var(--sheet);
}
</style>
