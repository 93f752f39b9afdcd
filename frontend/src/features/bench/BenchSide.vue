<script setup lang="ts">
import { computed } from "vue";
import type { Reading } from "./useScale";
import { type Schemas } from "../../api/client";
import { kilograms } from "../../shared/format";

/** Beside the items: the box, the scale as a needle between two marks, and what happens after the last item. */
const props = defineProps<{
  bench: Schemas["BenchOut"];
  reading: Reading | undefined;
  tared: boolean;
  /** Whether what lies on the scale came there since this parcel is to be weighed. */
  fresh: boolean;
}>();
const facts = computed(() => props.bench.facts!);
const box = computed(() => facts.value.boxes[props.bench.parcel - 1] ?? facts.value.boxes[0]);
const expected = computed(() => facts.value.expected_g[props.bench.parcel - 1] ?? 0);
const tolerance = computed(() => props.bench.scale?.tolerance_g ?? 0);
/** Where a weight stands on the strip: the expected one in its middle. */
const at = (grams: number) => Math.min(Math.max((grams / (expected.value * 2 || 1)) * 100, 0), 100);
const then = computed(() =>
  facts.value.labelled
    ? `${facts.value.service} · its label prints by itself`
    : `${facts.value.service} · the label is bought and prints by itself`,
);
</script>

<template>
  <aside class="side">
    <p class="head">Box</p>
    <p class="big">{{ box }}</p>
    <p class="head">Scale</p>
    <p class="big">
      <template v-if="reading">{{ kilograms(reading.grams) }}</template>
      <template v-else-if="bench.weights_g.length">{{
        bench.weights_g.map(kilograms).join(" and ")
      }}</template>
      <template v-else>–</template>
      <span class="of">of {{ kilograms(expected) }} expected</span>
    </p>
    <p v-if="reading && !reading.stable" class="of">not at rest</p>
    <p v-if="reading?.overload" class="of">more than it can weigh</p>
    <p v-if="tared" class="of">tared</p>
    <p v-if="bench.phase === 'weigh' && reading && !fresh" class="of">
      It lay there before: take it off, then put this parcel on.
    </p>
    <p v-if="bench.phase === 'weigh' && !reading" class="of">
      The scale does not answer. Scan Take weight once it does.
    </p>
    <div v-if="bench.scale" class="strip" aria-hidden="true">
      <span
        class="good"
        :style="{
          left: `${at(expected - tolerance)}%`,
          width: `${at(expected + tolerance) - at(expected - tolerance)}%`,
        }"
      />
      <span v-if="reading" class="needle" :style="{ left: `${at(reading.grams)}%` }" />
    </div>
    <p class="head">Then</p>
    <p class="big">{{ then }}</p>
    <template v-if="facts.note">
      <p class="head">The buyer writes</p>
      <p>{{ facts.note }}</p>
    </template>
  </aside>
</template>

<style scoped>
.side {
  align-self: start;
  padding: 18px 22px;
  font-size: 19px;
  background: var(--panel);
}
.head {
  margin: 0;
  font-size: 15px;
  color: var(--dim);
}
.big {
  margin: 0 0 14px;
  font-size: clamp(20px, 1.8vw, 32px);
  font-weight: 650;
  line-height: 1.25;
}
.of {
  font-size: 16px;
  font-weight: 400;
  color: var(--dim);
}
.strip {
  position: relative;
  height: 26px;
  margin: 0 0 16px;
  background: #1d2226;
}
.good,
.needle {
  position: absolute;
  top: 0;
  bottom: 0;
}
.good {
  min-width: 6px;
  background: #3f6b3a;
}
.needle {
  border-left: 4px solid var(--now);
}
</style>
