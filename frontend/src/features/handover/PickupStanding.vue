<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed } from "vue";
import { endStanding, pickupsQuery, setStanding } from "./queries";
import { type Schemas } from "../../api/client";
import { ErrorNote } from "../../shared/ui";

/** On which days of the week a network's van is asked for by itself; a press on a day switches it. */
const props = defineProps<{ lane: Schemas["LaneOut"] }>();
const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat"];
const client = useQueryClient();
const { data } = useQuery(pickupsQuery);
const mine = computed(() =>
  data.value?.standing.find(
    (s) => s.carrier === props.lane.carrier && s.network === props.lane.network,
  ),
);
const fresh = () => client.invalidateQueries({ queryKey: ["pickups"] });
const change = useMutation({ mutationFn: setStanding, onSettled: fresh });
const end = useMutation({ mutationFn: endStanding, onSettled: fresh });
const days = computed(() => mine.value?.weekdays ?? []);
const body = (weekdays: number[], paused: boolean) => ({
  carrier: props.lane.carrier,
  network: props.lane.network,
  weekdays,
  paused,
});
function press(day: number): void {
  const next = days.value.includes(day)
    ? days.value.filter((d) => d !== day)
    : [...days.value, day].sort();
  if (next.length) change.mutate(body(next, mine.value?.paused ?? false));
  else if (mine.value) end.mutate(mine.value.id);
}
</script>

<template>
  <div class="standing">
    <span class="mute small">Asked for by itself on</span>
    <button
      v-for="(name, i) in DAYS"
      :key="name"
      type="button"
      class="chip small"
      :aria-pressed="days.includes(i)"
      @click="press(i)"
    >
      {{ name }}
    </button>
    <button
      v-if="mine"
      type="button"
      class="link small"
      @click="change.mutate(body(days, !mine.paused))"
    >
      {{ mine.paused ? "Go on" : "Pause" }}
    </button>
    <span v-if="mine?.paused" class="press small">paused</span>
    <span v-if="mine?.refusal && mine.refused_for === lane.day" class="press small" role="status"
      >not asked for yet: {{ mine.refusal }}</span
    >
    <ErrorNote :error="change.error.value ?? end.error.value" />
  </div>
</template>

<style scoped>
.standing {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  align-items: center;
  margin-top: 14px;
  padding-top: 8px;
  border-top: 1px solid var(--line);
}
</style>
