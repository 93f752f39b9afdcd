<script setup lang="ts">
import { computed, ref } from "vue";
import { useMe } from "../../../shared/session";

/** A simple price list typed into a table: zones beside weight steps. What it says goes the way a file does. */
const { me, currency } = useMe();
const unit = me.value?.units === "imperial" ? "lb" : "kg";
const zones = ref(["", ""]);
const days = ref(["1-3", "3-6"]);
const steps = ref(["1", "2", "5", "10", "20"].map((upTo) => ({ upTo, prices: ["", ""] })));
const service = ref("Parcel");
const cutoff = ref("16:00");

function addZone(): void {
  zones.value.push("");
  days.value.push("5-10");
  for (const step of steps.value) step.prices.push("");
}
function addStep(): void {
  steps.value.push({ upTo: "", prices: zones.value.map(() => "") });
}
const cell = (text: string) => (/[",;\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
/** Only columns with a heading and rows with a weight are meant. */
const csv = computed(() => {
  const meant = zones.value.map((zone, i) => (zone.trim() ? i : -1)).filter((i) => i >= 0);
  const rows = [
    ["Service", service.value],
    ["Cut-off", cutoff.value],
    [`Up to ${unit}`, ...meant.map((i) => zones.value[i]!)],
    ...steps.value
      .filter((step) => step.upTo.trim())
      .map((step) => [step.upTo, ...meant.map((i) => step.prices[i] ?? "")]),
    ["Days", ...meant.map((i) => days.value[i]!)],
  ];
  return rows.map((row) => row.map((text) => cell(text.trim())).join(",")).join("\n");
});
defineExpose({ file: () => new File([csv.value], "typed.csv", { type: "text/csv" }) });
</script>

<template>
  <div class="facts">
    <v-text-field v-model="service" label="Service" />
    <v-text-field v-model="cutoff" label="Handed over by" placeholder="16:00" />
  </div>
  <p class="mute small">
    Head each column with its countries, as in “Spain; France”, the last one with “everywhere else”.
    Leave a price empty where that zone takes no heavier parcel.
  </p>
  <div class="scroll">
    <table class="plain-table">
      <thead>
        <tr>
          <th scope="col">Up to {{ unit }}</th>
          <th v-for="(_, i) in zones" :key="i" scope="col">
            <input
              v-model="zones[i]"
              :aria-label="`Countries of zone ${i + 1}`"
              :placeholder="i ? 'everywhere else' : 'country'"
            />
          </th>
          <th>
            <button class="link" type="button" @click="addZone">Another zone</button>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(step, n) in steps" :key="n">
          <td>
            <input
              v-model="step.upTo"
              class="figure"
              inputmode="decimal"
              :aria-label="`Step ${n + 1}, up to ${unit}`"
            />
          </td>
          <td v-for="(_, i) in zones" :key="i">
            <input
              v-model="step.prices[i]"
              class="figure"
              inputmode="decimal"
              :aria-label="`${currency} up to ${step.upTo} ${unit}, zone ${i + 1}`"
            />
          </td>
          <td />
        </tr>
        <tr>
          <td>Days</td>
          <td v-for="(_, i) in zones" :key="i">
            <input v-model="days[i]" class="figure" :aria-label="`Days to zone ${i + 1}`" />
          </td>
          <td />
        </tr>
      </tbody>
    </table>
  </div>
  <button class="link" type="button" @click="addStep">Another step</button>
</template>

<style scoped>
.facts {
  display: grid;
  grid-template-columns: 1fr 140px;
  gap: 12px;
}
.scroll {
  overflow-x: auto;
}
input {
  font: inherit;
  width: 100%;
  min-width: 74px;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 4px 6px;
}
.figure {
  text-align: right;
}
</style>
