<script setup lang="ts">
import { computed } from "vue";
import { type Schemas } from "../../api/client";
import { clock, count, kilograms, localDay } from "../../shared/format";
import { now, useMe } from "../../shared/session";
import { moreThanBooked } from "./vans";

/** One handover along the clock: its cut-off, the last moment to ask for the van, the van's hours, and what lies there. */
const props = defineProps<{ lane: Schemas["LaneOut"]; chosen: boolean }>();
const emit = defineEmits<{ choose: []; lift: [service: string]; letGo: [] }>();
const { zone } = useMe();
const FROM = 7;
const UNTIL = 20;
const labels = computed(() => props.lane.piles.reduce((n, p) => n + p.labels, 0));
const grams = computed(() => props.lane.piles.reduce((n, p) => n + p.gross_g, 0));
const gone = computed(() => props.lane.piles.reduce((n, p) => n + p.gone, 0));
const whole = (pile: Schemas["PileOut"]) => pile.labels + pile.gone;
const most = computed(() => Math.max(...props.lane.piles.map(whole), 6));

/** A service under its stack: the first letters of its first two words. */
const letters = (name: string) =>
  name
    .split(/[\s,]+/)
    .slice(0, 2)
    .map((word) => word.slice(0, 1).toUpperCase())
    .join("");
/** Where a clock time stands on the lane, in per cent; what lies before or after it stands at its end. */
function at(time: string): number {
  const [hours, minutes] = time.split(":").map(Number);
  const place = ((hours! + minutes! / 60 - FROM) / (UNTIL - FROM)) * 100;
  return Math.min(Math.max(place, 0), 100);
}
const cutoff = computed(() => at(clock(props.lane.cutoff_at, zone.value)));
const today = computed(() => props.lane.day === localDay(now.value, zone.value));
const asked = computed(() => {
  const until = props.lane.fetching?.until;
  return until && localDay(new Date(until), zone.value) === props.lane.day
    ? at(clock(until, zone.value))
    : undefined;
});
/** The van's hours: those that are booked, else those that would be asked for, drawn as not certain. */
const van = computed(() => {
  const f = props.lane.fetching;
  if (!f || props.lane.brought) return undefined;
  const p = props.lane.pickup;
  const booked = !!p && ["booked", "cancelling", "done"].includes(p.state);
  if (booked) return { from: p.start, until: p.until, booked, words: `${p.start}–${p.until}` };
  const open = f.refused ? "nobody fetches it" : "not asked yet";
  const words = p?.state === "asked" ? "being asked" : f.going ? open : "";
  return { from: f.suggested.start, until: f.suggested.until, booked, words };
});
/** A stack is lifted by the lane it stands on. */
function lift(event: DragEvent): void {
  const stack = event.target instanceof HTMLElement ? event.target.dataset.service : undefined;
  if (stack) emit("lift", stack);
}
const STATES = { open: "", closed: "closed", handed_over: "✓ handed over", missed: "✕ missed" };
const what = computed(() =>
  [
    clock(props.lane.cutoff_at, zone.value),
    labels.value ? count(labels.value, "label") : gone.value ? "" : "nothing in it",
    labels.value ? kilograms(grams.value) : "",
    gone.value ? `${gone.value} gone` : "",
    props.lane.fetching && !props.lane.brought ? "" : "to take along",
    STATES[props.lane.state],
  ]
    .filter(Boolean)
    .join(" · "),
);
</script>

<template>
  <button
    type="button"
    class="lane"
    role="option"
    :aria-selected="chosen"
    :class="{ chosen }"
    @click="emit('choose')"
    @dragstart="lift"
    @dragend="emit('letGo')"
  >
    <span class="who">
      <span
        ><span class="mono-gram">{{ lane.monogram }}</span> <b>{{ lane.name }}</b></span
      >
      <span class="small mute">{{ what }}</span>
      <span v-if="lane.stopped.length" class="small stop"
        >{{ count(lane.stopped.length, "order") }} must not go</span
      >
      <span v-if="moreThanBooked(lane)" class="small stop"
        >van booked for {{ lane.pickup!.parcels }}</span
      >
      <span v-if="lane.to_buy" class="small press">{{ count(lane.to_buy, "order") }} to buy</span>
    </span>
    <span class="time" aria-hidden="true">
      <span v-if="today" class="now" :style="{ left: `${at(clock(now, zone))}%` }" />
      <span
        v-if="van"
        class="van"
        :class="{ pending: !van.booked }"
        :style="{
          left: `${at(van.from)}%`,
          width: `${Math.max(at(van.until) - at(van.from), 1)}%`,
        }"
        ><i class="small">{{ van.words }}</i></span
      >
      <span v-if="asked !== undefined" class="ask" :style="{ left: `${asked}%` }"
        ><i class="small">ask</i></span
      >
      <span class="cut" :style="{ left: `${cutoff}%` }" />
      <span class="stacks" :style="{ right: `${100 - cutoff + 1}%` }">
        <span
          v-for="p in lane.piles"
          :key="p.service"
          class="stack"
          :title="`${p.name}: drag it to another day`"
          draggable="true"
          :data-service="p.service"
        >
          <span class="all" :style="{ height: `${Math.max((whole(p) / most) * 38, 3)}px` }">
            <span class="done" :style="{ height: `${((p.printed + p.gone) / whole(p)) * 100}%` }" />
          </span>
          <span class="small mute">{{ letters(p.name) }}</span>
        </span>
      </span>
    </span>
  </button>
</template>

<style scoped>
.lane {
  --ground: var(--sheet);
  display: grid;
  grid-template-columns: 240px minmax(0, 1fr);
  width: 100%;
  min-height: 60px;
  padding: 0;
  font: inherit;
  color: inherit;
  text-align: left;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--line);
  border-left: 3px solid transparent;
  cursor: pointer;
}
.lane:last-child {
  border-bottom: 0;
}
.lane.chosen {
  --ground: var(--mul-soft);
  background: var(--ground);
  border-left-color: var(--mul);
}
.who {
  display: grid;
  align-content: center;
  padding: 8px 12px;
  border-right: 1px solid var(--line);
}
.time {
  position: relative;
  margin: 0 14px;
}
.now,
.cut,
.ask {
  position: absolute;
  top: 0;
  bottom: 0;
}
.now {
  border-left: 1px solid var(--mute);
}
.cut {
  border-left: 2px solid currentcolor;
}
.ask {
  border-left: 2px dashed var(--wheat-line);
}
.ask i {
  position: absolute;
  top: 2px;
  left: 4px;
  font-style: normal;
  color: var(--wheat);
}
.van {
  position: absolute;
  top: 6px;
  height: 8px;
  border: 1px solid var(--mute);
  border-bottom: 0;
}
.van.pending {
  border-color: var(--wheat-line);
  border-style: dashed;
  border-bottom: 0;
}
.van i {
  position: absolute;
  z-index: 1; /* over the cut-off's line, which would strike the words out */
  top: 1px;
  right: 2px;
  padding: 0 3px;
  background: var(--ground);
  font-style: normal;
  color: var(--mute);
  white-space: nowrap;
}
.stacks {
  position: absolute;
  bottom: 4px;
  display: flex;
  gap: 10px;
  align-items: end;
}
.stack {
  display: grid;
  justify-items: center;
  line-height: 1.1;
}
.all {
  display: flex;
  align-items: end;
  width: 16px;
  border: 1px solid var(--mute);
}
.done {
  width: 100%;
  background: var(--leaf);
}
@media (max-width: 1100px) {
  .lane {
    grid-template-columns: 200px minmax(0, 1fr);
  }
}
</style>
