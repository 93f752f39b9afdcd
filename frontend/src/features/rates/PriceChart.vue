<script setup lang="ts">
import { useElementSize } from "@vueuse/core";
import { computed, ref } from "vue";
import { day, money } from "../../shared/format";
import type { Point } from "./queries";

const props = defineProps<{
  offers: Point[];
  promise: string | null;
  currency: string;
  chosen: string | null;
}>();
const emit = defineEmits<{ choose: [point: Point] }>();
const box = ref<HTMLElement>();
const { width: room } = useElementSize(box, { width: 460, height: 0 });
const width = computed(() => Math.max(280, room.value));

const LEFT = 62,
  RIGHT = 20,
  TOP = 22,
  ROW = 36;
const priced = computed(() => props.offers);
const days = computed(() => [...new Set(priced.value.map((o) => o.arrives))].sort());
const height = computed(() => TOP + days.value.length * ROW + 38);
/** Prices on a square-root scale: a dear outlier stays in the picture and does not press the rest together. */
const scale = computed(() => {
  const prices = priced.value.map((o) => o.net);
  const low = Math.min(...prices),
    high = Math.max(...prices, low + 100);
  const at = (minor: number) =>
    LEFT + 14 + Math.sqrt((minor - low) / (high - low)) * (width.value - LEFT - RIGHT - 80);
  const ticks = [
    ...new Set(
      [low, low + (high - low) * 0.12, low + (high - low) * 0.45, high].map((p) =>
        Math.max(low, Math.round(p / 50) * 50),
      ),
    ),
  ].filter((p) => p <= high);
  return { at, ticks };
});
const y = (iso: string) => TOP + days.value.indexOf(iso) * ROW + ROW / 2;
const promiseY = computed(() => {
  if (!props.promise || !days.value.length) return null;
  const met = days.value.filter((d) => d <= props.promise!).length;
  return TOP + met * ROW;
});
const points = computed(() =>
  priced.value.map((o) => ({ o, x: scale.value.at(o.net), y: y(o.arrives) })),
);
const line = computed(() =>
  points.value
    .filter((p) => p.o.frontier)
    .sort((a, b) => a.x - b.x)
    .map((p) => `${p.x},${p.y}`)
    .join(" "),
);
/** A label is drawn where it does not run into the next point of its row; the chosen one always is. */
const labelled = computed(() =>
  points.value.filter(
    (p) =>
      p.o.service === props.chosen ||
      (p.o.frontier &&
        !points.value.some(
          (q) => q !== p && q.y === p.y && q.x > p.x && q.x - p.x < 104 && !(q.x === p.x),
        )),
  ),
);
</script>

<template>
  <div ref="box" class="chart">
    <p v-if="!priced.length" class="mute">No service has a price for this yet.</p>
    <svg v-else :width="width" :height="height" role="group" aria-label="Price against arrival">
      <g v-for="d in days" :key="d">
        <line :x1="LEFT" :x2="width - RIGHT" :y1="y(d)" :y2="y(d)" class="row" />
        <text :x="0" :y="y(d) + 4" class="day">{{ day(d) }}</text>
      </g>
      <g v-if="promiseY !== null">
        <line :x1="LEFT" :x2="width - RIGHT" :y1="promiseY" :y2="promiseY" class="promise" />
        <text :x="width - RIGHT" :y="promiseY + 11" text-anchor="end" class="promise-text">
          promised by {{ day(promise) }}
        </text>
      </g>
      <polyline :points="line" class="frontier" />
      <g
        v-for="p in points"
        :key="p.o.service"
        class="point"
        :class="{ chosen: p.o.service === chosen, back: !p.o.frontier }"
        tabindex="0"
        role="button"
        :aria-label="`${p.o.name}, ${money(p.o.net, currency)}, arrives ${day(p.o.arrives)}${p.o.service === chosen ? ', chosen' : ''}`"
        @click="emit('choose', p.o)"
        @keydown.enter.prevent="emit('choose', p.o)"
      >
        <title>{{ p.o.name }} {{ money(p.o.net, currency) }}</title>
        <circle :cx="p.x" :cy="p.y" :r="p.o.service === chosen ? 7 : 5" />
      </g>
      <text
        v-for="p in labelled"
        :key="`t${p.o.service}`"
        :x="p.x > width - 130 ? p.x + 8 : p.x + 10"
        :y="p.x > width - 130 ? p.y - 10 : p.y - 6"
        :text-anchor="p.x > width - 130 ? 'end' : 'start'"
        class="name"
        :class="{ strong: p.o.service === chosen }"
      >
        {{ p.o.name }} {{ money(p.o.net, currency) }}
      </text>
      <text
        v-for="t in scale.ticks"
        :key="t"
        :x="scale.at(t)"
        :y="height - 6"
        text-anchor="middle"
        class="day"
      >
        {{ money(t, currency) }}
      </text>
    </svg>
  </div>
</template>

<style scoped>
.chart {
  min-height: 60px;
}
.row {
  stroke: var(--line);
}
.day {
  font-size: 11px;
  fill: var(--mute);
}
/* The way from point to point must not look like a price struck out: words stand on a ground of their own. */
.name {
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 5px;
  stroke-linejoin: round;
}
.promise {
  stroke: var(--wheat-line);
  stroke-width: 1.5;
  stroke-dasharray: 6 4;
}
.promise-text {
  font-size: 11px;
  fill: var(--wheat);
}
.frontier {
  fill: none;
  stroke: var(--mul);
  stroke-opacity: 0.4;
  stroke-width: 1.5;
}
.point {
  cursor: pointer;
  outline: none;
}
.point circle {
  fill: var(--sheet);
  stroke: var(--mul);
  stroke-width: 2;
}
.point.back circle {
  stroke: var(--todo);
  fill: var(--soft);
}
.point.chosen circle {
  fill: var(--mul);
  stroke: var(--mul);
}
.point:focus-visible circle {
  stroke-width: 4;
}
.name {
  font-size: 11.5px;
  fill: var(--ink);
}
.name.strong {
  font-weight: 700;
}
</style>
