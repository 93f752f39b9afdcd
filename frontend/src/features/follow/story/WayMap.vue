<script setup lang="ts">
import type { Schemas } from "../../../api/client";

/** The way of a parcel on a quiet map; every place of it stands in the list below, too. */
defineProps<{ way: Schemas["WayOut"] }>();
</script>

<template>
  <svg viewBox="0 0 600 360" class="way" aria-hidden="true">
    <rect class="sea" width="600" height="360" />
    <path class="land" :d="way.land" />
    <path class="border" :d="way.borders" />
    <path class="gone" :d="way.gone" />
    <path class="ahead" :d="way.ahead" />
    <g v-for="(m, n) in way.marks" :key="n">
      <circle :class="m.kind" :cx="m.x" :cy="m.y" :r="m.kind === 'now' ? 8 : 6" />
      <text
        v-if="m.name"
        :x="m.x + (m.side === 'start' ? 13 : -13)"
        :y="m.y + 7"
        :text-anchor="m.side"
      >
        {{ m.name }}
      </text>
    </g>
  </svg>
</template>

<style scoped>
.way {
  display: block;
  width: 100%;
  max-width: 360px;
  height: auto;
  margin: 6px 0;
  border: 1px solid var(--line);
}
.sea {
  fill: var(--soft);
}
.land {
  fill: var(--sheet);
  stroke: var(--line);
}
.border {
  fill: none;
  stroke: var(--line);
}
.gone,
.ahead {
  fill: none;
  stroke: var(--mul);
  stroke-width: 3;
}
.ahead {
  stroke-dasharray: 2 8;
  stroke-linecap: round;
}
circle {
  fill: var(--mul);
  stroke: var(--sheet);
  stroke-width: 2;
}
.goal {
  fill: var(--sheet);
  stroke: var(--mul);
  stroke-width: 3;
}
text {
  font-size: 24px;
  fill: var(--ink);
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 5px;
}
</style>
