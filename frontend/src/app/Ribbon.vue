<script setup lang="ts">
import { useElementSize } from "@vueuse/core";
import { computed, ref } from "vue";
import type { Schemas } from "../api/client";
import { clock, count, number, timeLeft } from "../shared/format";
import { now } from "../shared/session";

const props = defineProps<{ departures: Schemas["DepartureOut"][]; zone: string }>();
const box = ref<HTMLElement>();
const { width: wide } = useElementSize(box, { width: 700, height: 60 });

const HOUR = 3_600_000;
/** From an hour before now (or the first cut-off) to an hour after the last cut-off. */
const span = computed(() => {
  const cuts = props.departures.map((d) => new Date(d.cutoff_at).getTime());
  const first = Math.min(now.value.getTime(), ...cuts) - HOUR / 2;
  const last = Math.max(now.value.getTime(), ...cuts) + HOUR;
  const start = Math.floor(first / HOUR) * HOUR;
  return { start, end: Math.max(last, start + 5 * HOUR) };
});
function at(time: number): number {
  return ((time - span.value.start) / (span.value.end - span.value.start)) * wide.value;
}
const hours = computed(() => {
  const every = span.value.end - span.value.start > 14 * HOUR ? 3 : 1;
  const marks = [];
  for (let t = span.value.start; t <= span.value.end; t += every * HOUR)
    if (at(t) > 8 && at(t) < wide.value - 8)
      marks.push({ x: at(t), label: clock(new Date(t), props.zone).slice(0, 2) });
  return marks;
});
/** Marks are pushed left until they no longer collide; what does not fit keeps its line and goes into the summary. */
const marks = computed(() => {
  const need = 128;
  const total = (d: Schemas["DepartureOut"]) => d.printed + d.bought + d.to_buy;
  const quiet = !props.departures.some(total);
  let free = wide.value;
  const placed = [...props.departures]
    .sort((a, b) => b.cutoff_at.localeCompare(a.cutoff_at))
    .map((d) => {
      const line = at(new Date(d.cutoff_at).getTime());
      // Where many trucks go, those without a parcel keep their line only, and the others have room for their names.
      if (props.departures.length > 4 && !quiet && !total(d))
        return { d, line, right: line, shown: false };
      const right = Math.min(line, free);
      free = right - need;
      return { d, line, right, shown: right >= need - 16 };
    });
  return placed.reverse();
});
function left(d: Schemas["DepartureOut"]): string {
  const total = d.printed + d.bought + d.to_buy;
  if (!total) return "nothing yet";
  return d.to_buy ? `${number(d.to_buy)} to buy` : count(d.printed + d.bought, "label");
}
function pressing(d: Schemas["DepartureOut"]): boolean {
  const minutes = (new Date(d.cutoff_at).getTime() - now.value.getTime()) / 60_000;
  return minutes >= 0 && minutes < 75 && d.to_buy > 0;
}
</script>

<template>
  <div
    ref="box"
    class="axis"
    role="img"
    :aria-label="
      departures.map((d) => `${d.name} ${clock(d.cutoff_at, zone)}: ${left(d)}`).join(', ') ||
      'No departures'
    "
  >
    <span v-for="h in hours" :key="h.x" class="hour" :style="{ left: `${h.x}px` }">{{
      h.label
    }}</span>
    <i class="base" />
    <i class="now" :style="{ left: `${at(now.getTime())}px` }" />
    <template v-for="m in marks" :key="m.d.carrier + m.d.network">
      <i class="cut" :class="{ pressing: pressing(m.d) }" :style="{ left: `${m.line}px` }" />
      <div
        v-if="m.shown"
        class="mark"
        :class="{ pressing: pressing(m.d) }"
        :style="{ left: `${m.right}px` }"
      >
        <b>{{ m.d.name }} {{ clock(m.d.cutoff_at, zone) }}</b>
        <span>{{ timeLeft(m.d.cutoff_at, now, zone) }} · {{ left(m.d) }}</span>
        <span class="bar">
          <i class="printed" :style="{ flex: m.d.printed }" /><i
            class="bought"
            :style="{ flex: m.d.bought }"
          /><i class="todo" :style="{ flex: m.d.to_buy }" />
        </span>
      </div>
    </template>
  </div>
</template>

<style scoped>
.axis {
  position: relative;
  margin: 0 18px;
  overflow: hidden;
}
.hour {
  position: absolute;
  bottom: 3px;
  font-size: 10px;
  color: var(--mute);
  transform: translateX(-50%);
}
.base {
  position: absolute;
  left: 0;
  right: 0;
  bottom: 18px;
  height: 1px;
  background: var(--line);
}
.now {
  position: absolute;
  top: 3px;
  bottom: 4px;
  width: 1.5px;
  background: var(--ink);
}
.cut {
  position: absolute;
  top: 34px;
  bottom: 12px;
  width: 2px;
  margin-left: -2px;
  background: var(--mute);
}
.cut.pressing {
  background: var(--wheat-line);
}
.mark {
  position: absolute;
  bottom: 20px;
  transform: translateX(-100%);
  padding: 0 7px 0 4px;
  text-align: right;
  white-space: nowrap;
  line-height: 1.15;
  background: var(--sheet);
}
.mark b {
  font-weight: 650;
  font-size: 12px;
  display: block;
}
.mark span {
  font-size: 10.5px;
  color: var(--mute);
  display: block;
}
.mark.pressing b {
  color: var(--wheat);
}
.mark .bar {
  display: flex;
  height: 4px;
  width: 92px;
  margin: 2px 0 0 auto;
  background: var(--soft);
  gap: 1px;
}
.bar i {
  display: block;
  height: 4px;
}
.printed {
  background: var(--leaf);
}
.bought {
  background: var(--leaf-mid);
}
.todo {
  background: var(--todo);
}
</style>
