<script setup lang="ts">
import { ref } from "vue";
import { DAYS, type Known, type Offer } from "./offers";
import { amountText, minorOf } from "../../../shared/format";
import { named } from "../../../shared/ui";

/** What an offer is for: where to, from where, which baskets, which channels, when, and for whom at another price. */
const props = defineProps<{ offer: Offer; known: Known }>();
const emit = defineEmits<{ change: [offer: Offer] }>();
const set = (part: Partial<Offer>) => emit("change", { ...props.offer, ...part });
const WHERE = [
  { key: "countries", label: "Countries", hint: "PT ES, or: not CH; empty: everywhere" },
  { key: "regions", label: "Regions", hint: "As stores write them: Madeira; Azores" },
  { key: "postcodes", label: "Postcodes", hint: "9000-9400 95 not 9100; ES:35 is for Spain alone" },
] as const;
const SPANS = [
  { key: "weight_g", label: "Grams" },
  { key: "value", label: "Basket value" },
  { key: "items", label: "Pieces" },
];
const WORDS = [
  { key: "skus", label: "Only these SKUs" },
  { key: "not_skus", label: "None of these SKUs" },
  { key: "tags", label: "Only products tagged" },
  { key: "not_tags", label: "No product tagged" },
];
/** What a limit is as it is typed: amounts of money as money, everything else as a whole number. */
function spanText(key: string, end: string): string {
  const value = props.offer.basket?.[`${key}_${end}`];
  if (typeof value !== "number") return "";
  return key === "value" ? amountText(value, props.known.currency) : String(value);
}
function setSpan(key: string, end: string, text: string): void {
  const plain = text.trim();
  const money = key === "value" ? minorOf(plain, props.known.currency) : undefined;
  const value = key === "value" ? (money ?? null) : /^\d+$/.test(plain) ? Number(plain) : null;
  set({ basket: { ...props.offer.basket, [`${key}_${end}`]: value } });
}
const wordsOf = (key: string) => {
  const value = props.offer.basket?.[key];
  return Array.isArray(value) ? value.join(" ") : "";
};
const setWords = (key: string, text: string) =>
  set({ basket: { ...props.offer.basket, [key]: text.split(/[\s,;]+/).filter(Boolean) } });
const groups = () =>
  Object.entries(props.offer.groups ?? {})
    .map(([group, minor]) => `${group}: ${amountText(minor, props.known.currency)}`)
    .join("\n");
/** A line that cannot be read is said, and stays as it was typed; nothing is taken over before all of them can. */
const unread = ref("");
function setGroups(text: string): void {
  const pairs: Record<string, number> = {};
  unread.value = "";
  for (const line of text.split("\n").filter((one) => one.trim())) {
    const at = line.lastIndexOf(":");
    const minor = at > 0 ? minorOf(line.slice(at + 1).trim(), props.known.currency) : undefined;
    if (minor === undefined) unread.value = `“${line.trim()}” is no price of a group: trade: 3.90`;
    else pairs[line.slice(0, at).trim()] = minor;
  }
  if (!unread.value) set({ groups: pairs });
}
</script>

<template>
  <h3 class="w6">What it is for</h3>
  <v-text-field
    v-for="w in WHERE"
    :key="w.key"
    :class="w.key === 'postcodes' ? 'w6' : 'w3'"
    :label="w.label"
    :hint="w.hint"
    :model-value="offer.where?.[w.key] ?? ''"
    @change="set({ where: { ...offer.where, [w.key]: $event.target.value } })"
  />
  <template v-for="s in SPANS" :key="s.key">
    <v-text-field
      v-for="end in ['from', 'to']"
      :key="end"
      class="w3"
      :label="`${s.label} ${end}`"
      :model-value="spanText(s.key, end)"
      @change="setSpan(s.key, end, $event.target.value)"
    />
  </template>
  <v-text-field
    v-for="w in WORDS"
    :key="w.key"
    class="w3"
    :label="w.label"
    :model-value="wordsOf(w.key)"
    @change="setWords(w.key, $event.target.value)"
  />
  <v-autocomplete
    class="w3"
    multiple
    chips
    label="Only these channels"
    :model-value="offer.channels ?? []"
    :items="named(known.channels)"
    @update:model-value="set({ channels: $event as string[] })"
  />
  <v-autocomplete
    class="w3"
    multiple
    chips
    label="Only parcels from these places"
    :model-value="offer.places ?? []"
    :items="known.places"
    @update:model-value="set({ places: $event as string[] })"
  />
  <v-autocomplete
    class="w2"
    multiple
    chips
    label="Only on these days"
    :model-value="offer.times?.days ?? []"
    :items="DAYS.map((title, value) => ({ title, value }))"
    @update:model-value="set({ times: { ...offer.times, days: ($event as number[]).sort() } })"
  />
  <v-text-field
    v-for="end in ['from', 'until'] as const"
    :key="end"
    class="w2"
    :label="end === 'from' ? 'Open from' : 'Open until'"
    placeholder="14:00"
    :model-value="offer.times?.[end] ?? ''"
    @change="set({ times: { ...offer.times, [end]: $event.target.value.trim() || undefined } })"
  />
  <v-textarea
    class="w6"
    rows="1"
    auto-grow
    variant="outlined"
    density="compact"
    label="Prices of customer groups"
    hint="One line each: trade: 3.90"
    :model-value="groups()"
    :error-messages="unread ? [unread] : []"
    @change="setGroups(($event.target as HTMLTextAreaElement).value)"
  />
</template>

<style scoped>
h3 {
  margin: 6px 0 0;
  font-size: 14px;
}
</style>
