<script setup lang="ts">
import { country } from "../shared/format";
import { useQuery } from "@tanstack/vue-query";
import { computed, nextTick, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, need } from "../api/client";

const open = defineModel<boolean>({ required: true });
const router = useRouter();
const text = ref("");
const at = ref(0);
const field = ref<HTMLInputElement>();

const PAGES = [
  ["Today", "/today"],
  ["Orders", "/orders"],
  ["Import a spreadsheet", "/import"],
  ["Money", "/money"],
  ["New shipment", "/orders/new"],
  ["Rules", "/rules"],
  ["Recipes", "/recipes"],
  ["Checkout", "/checkout"],
  ["Channels", "/set-up/channels"],
  ["Products", "/set-up/products"],
  ["Address book", "/set-up/contacts"],
  ["Screening", "/set-up/restricted"],
  ["Customs", "/set-up/customs"],
  ["Places", "/set-up/places"],
  ["Packaging", "/set-up/packaging"],
  ["Carriers", "/set-up/carriers"],
  ["Printing", "/set-up/printing"],
  ["Quote", "/quote"],
  ["Batches", "/batches"],
  ["Bench", "/bench"],
  ["Departures", "/departures"],
  ["Tracking", "/tracking"],
  ["Messages", "/messages"],
  ["Returns", "/returns"],
  ["Requests", "/requests"],
] as const;
const { data: found, isFetching } = useQuery({
  queryKey: computed(() => ["find", text.value]),
  queryFn: async () =>
    need(await api.GET("/api/find", { params: { query: { text: text.value } } })),
  enabled: computed(() => open.value && text.value.trim().length > 1),
});
const results = computed(() => [
  ...PAGES.filter(([name]) => name.toLowerCase().includes(text.value.trim().toLowerCase())).map(
    ([name, to]) => ({
      key: to as string,
      what: "Page",
      name: name as string,
      more: "",
      to: to as string,
    }),
  ),
  ...(text.value.trim().length > 1 ? (found.value ?? []) : []).map((o) => ({
    key: `o${o.id}`,
    what: "Order",
    name: `${o.number} ${o.recipient}`,
    more: `${o.city}, ${country(o.country)} · ${o.state.replace("_", " ")}`,
    to: `/orders/${o.id}`,
  })),
]);
watch(open, async (now) => {
  if (!now) return;
  text.value = "";
  at.value = 0;
  await nextTick();
  setTimeout(() => field.value?.focus(), 30);
});
/** Who presses Enter before the answer is there means its first line. */
const wanted = ref(false);
watch(text, () => {
  at.value = 0;
  wanted.value = false;
});
watch(results, (now) => wanted.value && now.length && go(0));
function go(index: number): void {
  const chosen = results.value[index];
  wanted.value = !chosen;
  if (!chosen) return;
  open.value = false;
  void router.push(chosen.to);
}
function move(by: number): void {
  at.value = Math.max(0, Math.min(results.value.length - 1, at.value + by));
}
</script>

<template>
  <v-dialog v-model="open" max-width="560" aria-label="Search and commands">
    <v-card>
      <input
        ref="field"
        v-model="text"
        class="line"
        placeholder="An order, a name, a tracking number, a page"
        aria-label="Search"
        @keydown.down.prevent="move(1)"
        @keydown.up.prevent="move(-1)"
        @keydown.enter.prevent="go(at)"
      />
      <ul class="results">
        <li v-for="(r, i) in results" :key="r.key">
          <button type="button" :class="{ on: i === at }" @click="go(i)">
            <span class="mute small">{{ r.what }}</span> {{ r.name }}
            <span class="mute small">{{ r.more }}</span>
          </button>
        </li>
        <li v-if="!results.length" class="empty">
          {{ isFetching ? "Looking…" : "Nothing is called like that." }}
        </li>
      </ul>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.line {
  font: inherit;
  font-size: 16px;
  padding: 14px 18px;
  border: 0;
  border-bottom: 1px solid var(--line);
  width: 100%;
  background: var(--sheet);
  color: var(--ink);
  outline: none;
}
.results {
  list-style: none;
  margin: 0;
  padding: 6px;
  max-height: 50vh;
  overflow: auto;
}
.results button {
  width: 100%;
  text-align: left;
  font: inherit;
  border: 0;
  background: none;
  color: inherit;
  padding: 6px 12px;
  cursor: pointer;
  border-radius: 3px;
}
.results button.on {
  background: var(--mul-soft);
  color: var(--mul);
}
</style>
