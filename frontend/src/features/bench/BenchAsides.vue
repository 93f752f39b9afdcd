<script setup lang="ts">
import type { Schemas } from "../../api/client";

/** Parcels that were laid aside with their slips: what has become of the label of each. */
defineProps<{ asides: Schemas["LaidAsideOut"][] }>();
const SHAPES = { waits: "…", come: "✓", refused: "✕" } as const;
const words = (one: Schemas["LaidAsideOut"]): string => {
  if (one.kind === "waits") return "its label is awaited";
  if (one.kind === "refused") return `no label: ${one.words}. Scan its slip to go on`;
  return one.printed
    ? "its label has printed: put it on, and scan the slip"
    : "its label is not on paper yet";
};
</script>

<template>
  <section v-if="asides.length" class="beside" aria-label="Set aside here">
    <h2>Set aside here</h2>
    <ul>
      <li v-for="one in asides" :key="one.order_id" :class="`is-${one.kind}`">
        {{ SHAPES[one.kind] }} <b>{{ one.number }}</b> {{ words(one) }}
      </li>
    </ul>
  </section>
</template>

<style scoped src="./beside.css"></style>
