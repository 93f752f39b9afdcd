<script setup lang="ts">
import { computed, ref } from "vue";
import { percentText, type Tried } from "./offers";
import { day, kilograms, money } from "../../../shared/format";

/** What the shopper sees, as a shop's page would show it; below it, why one line costs what it costs, and what is absent. */
const props = defineProps<{ tried: Tried | undefined; where: string; vatBp: number }>();
const chosen = ref("");
const shown = computed(() => {
  const offered = props.tried?.offered ?? [];
  return offered.find((o) => o.code === chosen.value) ?? offered[0];
});
const currency = computed(() => props.tried?.currency ?? "EUR");
const price = (minor: number) => (minor ? money(minor, currency.value) : "free");
const arrives = (from: string | null, by: string | null) =>
  by ? (from && from !== by ? `${day(from)} to ${day(by)}` : day(by)) : "";
const more = computed(() =>
  (props.tried?.offered ?? []).filter((o) => o.to_free !== null && o.to_free > 0),
);
const SOURCES = { live: "", own: "", fallback: "no carrier answered" };
</script>

<template>
  <section class="panel shopper" aria-label="As the shopper sees it">
    <p class="small mute">As the shopper sees it</p>
    <h2>How shall it come?</h2>
    <p v-if="!tried" class="mute">Packing the basket…</p>
    <p v-else-if="!tried.offered.length" class="stop" role="status">
      ✕ Nothing is offered for {{ where }}.
    </p>
    <button
      v-for="o in tried?.offered"
      :key="o.code"
      type="button"
      class="line"
      :aria-pressed="o.code === shown?.code"
      @click="chosen = o.code"
    >
      <span
        ><span>{{ o.name }}</span
        ><span class="small mute">{{ arrives(o.earliest, o.latest) }}</span></span
      ><b>{{ price(o.price) }}</b>
    </button>
    <p v-if="shown?.duties != null" class="small mute">
      {{
        shown.duties
          ? `About ${money(shown.duties, currency)} of duties and taxes are asked for on arrival; an estimate.`
          : "No duties or taxes are asked for on arrival, by our estimate."
      }}
    </p>
    <p v-for="o in more" :key="o.code" class="small mute">
      {{ money(o.to_free!, currency) }} more and “{{ o.name }}” is free.
    </p>
  </section>
  <template v-if="tried && shown">
    <h3>
      Why {{ price(shown.price) }}
      <span class="small mute">{{ where }}, {{ tried.took_ms }} ms</span>
    </h3>
    <p class="step">
      <span
        >{{ tried.packed || "not packed" }},
        {{ tried.gross_g === null ? "weight not known" : kilograms(tried.gross_g)
        }}<template v-if="tried.assumed.length">
          · size or weight assumed: {{ tried.assumed.join(", ") }}</template
        ></span
      >
    </p>
    <p v-for="(s, n) in shown.steps" :key="n" class="step">
      <span>{{ s.words }}</span><b>{{ price(s.price) }}</b>
    </p>
    <p v-if="shown.vat" class="step mute">
      <span
        >of which {{ percentText(vatBp) }} VAT; without it
        {{ money(shown.price - shown.vat, currency) }}</span
      ><span>{{ money(shown.vat, currency) }}</span>
    </p>
    <p v-if="SOURCES[shown.source]" class="press small">{{ SOURCES[shown.source] }}</p>
  </template>
  <template v-if="tried?.absent.length">
    <h3>Not offered</h3>
    <p v-for="a in tried.absent" :key="a.code" class="step mute">
      <span>{{ a.name }}</span><span>{{ a.why }}</span>
    </p>
  </template>
</template>

<style scoped>
.shopper {
  padding: 8px 16px;
}
h3 {
  margin: 14px 0 2px;
}
.shopper h2 {
  margin: 2px 0 10px;
}
.line {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  align-items: center;
  width: 100%;
  min-height: 48px;
  margin: 0 0 6px;
  padding: 6px 12px;
  font: inherit;
  color: inherit;
  text-align: left;
  background: none;
  border: 1px solid var(--line);
  border-radius: 6px;
  cursor: pointer;
}
.line > span {
  display: grid;
}
.line[aria-pressed="true"] {
  border-color: currentcolor;
}
.step {
  display: flex;
  justify-content: space-between;
  gap: 14px;
  margin: 0;
  padding: 7px 4px;
  border-bottom: 1px solid var(--line);
}
.step > :last-child:not(:first-child) {
  text-align: right;
}
</style>
