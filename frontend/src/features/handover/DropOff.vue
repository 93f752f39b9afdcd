<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { far, openUntil } from "./points";
import { askForPoints, bringInPoints, pointsQuery } from "./queries";
import { keyOf, useDepartures } from "./useDepartures";
import { type Schemas } from "../../api/client";
import { count } from "../../shared/format";
import { useMe } from "../../shared/session";
import { ErrorNote } from "../../shared/ui";

/** Where a departure is taken: the nearest points with their hours, one of them chosen, and the list to take along. */
const props = defineProps<{ lane: Schemas["LaneOut"] }>();
const client = useQueryClient();
const { may } = useMe();
const { bring } = useDepartures();
const NEAR = 5;
const { data: points } = useQuery(computed(() => pointsQuery(keyOf(props.lane))));
const all = ref(false);
const picker = ref<HTMLInputElement>();
watch(
  () => props.lane.carrier,
  () => {
    all.value = false;
    file.reset();
    ask.reset();
  },
);
const shown = computed(() =>
  (points.value ?? []).filter((p, n) => all.value || n < NEAR || p.chosen),
);
const chosen = computed(() => points.value?.find((p) => p.chosen));
const onSuccess = () => client.invalidateQueries({ queryKey: ["departures"] });
const file = useMutation({
  mutationFn: (given: File) => bringInPoints(props.lane.carrier, given),
  onSuccess,
});
const ask = useMutation({ mutationFn: () => askForPoints(props.lane.carrier), onSuccess });
const { isPending: asking } = ask;
const done = computed(() => file.data.value ?? ask.data.value);
function picked(event: Event): void {
  const input = event.target as HTMLInputElement;
  if (input.files?.[0]) file.mutate(input.files[0]);
  input.value = "";
}
const open = computed(() => props.lane.state === "open" && may("shipper"));
</script>

<template>
  <ErrorNote :error="bring.error.value ?? file.error.value ?? ask.error.value" />
  <p v-if="chosen" class="said">
    Taken to <b>{{ chosen.name }}</b>, {{ chosen.street }}, {{ chosen.city }}{{ far(chosen) }},
    {{ chosen.refused || openUntil(chosen) }}.
  </p>
  <p v-else-if="!points?.length" class="mute">
    No drop-off points are known of this carrier.
    <template v-if="may('shipper')">
      Ask it for them, or bring in a file (CSV, XLSX or GeoJSON).
    </template>
  </p>
  <p v-else class="mute">No point is chosen: they are taken anywhere.</p>
  <p v-for="s in chosen?.stays" :key="s.order_number" class="press">
    ◆ {{ s.order_number }} is not taken there: {{ s.words }}.
  </p>
  <ul v-if="points?.length" class="points" aria-label="Drop-off points">
    <li v-for="p in shown" :key="p.code">
      <button
        type="button"
        class="point"
        :aria-pressed="p.chosen"
        :disabled="!open || !!p.refused"
        @click="bring.mutate({ ...keyOf(lane), brought: true, point: p.chosen ? '' : p.code })"
      >
        <span
          ><b>{{ p.name }}</b
          ><span class="mute">{{ far(p) }}</span></span
        >
        <span class="small" :class="p.refused ? 'press' : 'mute'">{{
          p.refused ? `${p.refused} · ${p.hours}` : `${openUntil(p)} · ${p.street}, ${p.city}`
        }}</span>
      </button>
    </li>
  </ul>
  <p class="acts">
    <button
      v-if="(points?.length ?? 0) > shown.length || all"
      type="button"
      class="link"
      @click="all = !all"
    >
      {{ all ? "Only the nearest" : `All ${points!.length} points` }}
    </button>
    <a
      v-if="lane.piles.length"
      class="link"
      :href="`/api/departures/take-along.pdf?day=${lane.day}`"
      target="_blank"
      >List to take along</a
    >
    <template v-if="may('shipper')">
      <button type="button" class="link" :disabled="asking" @click="ask.mutate()">
        Ask the carrier for its points
      </button>
      <button type="button" class="link" @click="picker?.click()">Points from a file</button>
      <input
        ref="picker"
        type="file"
        hidden
        accept=".csv,.xlsx,.json,.geojson"
        aria-label="A file of drop-off points"
        @change="picked"
      />
    </template>
  </p>
  <p v-if="done" class="small" role="status">
    {{ count(done.points, "point") }} known now.
    <span v-if="done.wrong.length" class="press"
      >{{ count(done.wrong.length, "row") }} left out:
      {{ done.wrong.slice(0, 3).join("; ") }}.</span
    >
  </p>
</template>

<style scoped>
.points {
  padding: 0;
  list-style: none;
}
.point {
  display: grid;
  width: 100%;
  min-height: 40px;
  padding: 4px 8px;
  font: inherit;
  color: inherit;
  text-align: left;
  background: none;
  border: 1px solid transparent;
  border-bottom-color: var(--line);
  cursor: pointer;
}
.point:disabled {
  cursor: default;
}
.point[aria-pressed="true"] {
  background: var(--mul-soft);
  border-color: var(--mul);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  margin: 8px 0;
}
</style>
