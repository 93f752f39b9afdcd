<script setup lang="ts">
import type { Late } from "./useBench";
import type { Schemas } from "../../api/client";

/** What a bench must not miss beside the order on it: a change, a printer in trouble, late scans. */
defineProps<{ bench: Schemas["BenchOut"]; late: Late[] }>();
</script>

<template>
  <div class="around">
    <p v-if="bench.changed" class="banner" role="alert">✕ This order: {{ bench.changed }}.</p>
    <p v-if="bench.printer" class="banner" role="alert">
      ✕ {{ bench.printer }}. Packing goes on; what waits prints by itself once it can.
    </p>
    <section v-if="late.length" class="beside" aria-label="Scans made without a connection">
      <h2>Scans made without a connection</h2>
      <ul>
        <li v-for="(one, n) in late" :key="n" :class="`is-${one.kind}`">
          {{ one.kind === "wrong" ? "✕" : "✓" }} <b>{{ one.code }}</b> {{ one.words }}
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped src="./beside.css"></style>
<style scoped>
.banner {
  padding: 8px 18px;
  margin: 0 0 10px;
  font-size: 20px;
  color: var(--bad);
  background: #2a1310;
}
</style>
