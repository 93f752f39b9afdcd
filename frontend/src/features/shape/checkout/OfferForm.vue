<script setup lang="ts">
import { computed } from "vue";
import OfferLimits from "./OfferLimits.vue";
import { type Kind, type Known, type Offer } from "./offers";
import { amountText, minorOf } from "../../../shared/format";
import { SelectField } from "../../../shared/ui";

/** Everything about an offer that its sentence does not show until it is set. */
const props = defineProps<{
  offer: Offer;
  known: Known;
}>();
const emit = defineEmits<{ change: [offer: Offer] }>();
const set = (part: Partial<Offer>) => emit("change", { ...props.offer, ...part });
const KINDS: { value: Kind; title: string }[] = [
  { value: "live", title: "What the services cost" },
  { value: "flat", title: "Always the same" },
  { value: "table", title: "By a rate table" },
  { value: "per_item", title: "By the piece" },
  { value: "per_kg", title: "By the kilogram" },
];
/** Another kind of price: what was typed for the one before stays beside it. */
const kind = computed({
  get: () => props.offer.price.kind,
  set: (value) => set({ price: { ...props.offer.price, kind: value } }),
});
const items = (from: Record<string, string>) =>
  Object.entries(from).map(([value, title]) => ({ value, title }));
const amount = (minor: number | null | undefined) =>
  typeof minor === "number" ? amountText(minor, props.known.currency) : "";
const minor = (text: string) =>
  text.trim() ? (minorOf(text, props.known.currency) ?? null) : null;
const names = computed(() =>
  Object.entries(props.offer.names)
    .map(([language, text]) => `${language}: ${text}`)
    .join("\n"),
);
function setNames(text: string): void {
  const pairs = text
    .split("\n")
    .map((line) => /^\s*([a-z]{2}(?:-[a-z]{2,4})?)\s*:\s*(.+)$/i.exec(line))
    .filter((m): m is RegExpExecArray => m !== null);
  if (pairs.length)
    set({ names: Object.fromEntries(pairs.map((m) => [m[1]!.toLowerCase(), m[2]!.trim()])) });
}
const figure = (text: string) => (/^\d+$/.test(text.trim()) ? Number(text) : null);
function setAmount(text: string): void {
  const sign = /^\s*[-−]/.test(text) ? -1 : 1;
  const value = minor(text.replace(/^\s*[-−+]/, ""));
  set({ amount_minor: value ? sign * value : 0 });
}
const percent = computed(() =>
  props.offer.percent_bp ? String(props.offer.percent_bp / 100) : "",
);
function setPercent(text: string): void {
  const value = Number(text.replace(",", ".") || 0);
  if (Number.isFinite(value)) set({ percent_bp: Math.round(value * 100) });
}
</script>

<template>
  <div class="form-grid offer-form">
    <SelectField v-model="kind" class="w3" label="Price" above :items="KINDS" />
    <v-autocomplete
      v-if="offer.price.kind === 'live'"
      class="w3"
      multiple
      chips
      label="Services that are asked"
      :model-value="offer.price.services ?? []"
      :items="items(known.services)"
      @update:model-value="set({ price: { ...offer.price, services: $event as string[] } })"
    />
    <SelectField
      v-else-if="offer.price.kind === 'table'"
      class="w3"
      label="Rate table"
      above
      :model-value="offer.price.table ?? ''"
      :items="items(known.tables)"
      @update:model-value="set({ price: { ...offer.price, table: $event } })"
    />
    <v-autocomplete
      v-else
      class="w3"
      multiple
      chips
      label="Only where one of these takes it"
      :model-value="offer.takes ?? []"
      :items="items(known.services)"
      @update:model-value="set({ takes: $event as string[] })"
    />
    <v-checkbox
      v-if="offer.price.kind === 'live'"
      class="w6"
      label="Each service by its own name, not only the cheapest"
      :model-value="offer.price.each === true"
      @update:model-value="set({ price: { ...offer.price, each: $event === true } })"
    />
    <v-textarea
      class="w3"
      rows="2"
      auto-grow
      variant="outlined"
      density="compact"
      label="Names by language"
      hint="One line each: pt: Entrega em casa"
      :model-value="names"
      @change="setNames(($event.target as HTMLTextAreaElement).value)"
    />
    <SelectField
      class="w3"
      label="Arrival is shown as"
      above
      :model-value="offer.shows ?? 'span'"
      :items="
        items({ span: 'From one day to another', day: 'The last day', nothing: 'Not at all' })
      "
      @update:model-value="set({ shows: $event as Offer['shows'] })"
    />
    <v-text-field
      class="w2"
      label="Per cent on top"
      inputmode="decimal"
      :model-value="percent"
      @change="setPercent($event.target.value)"
    />
    <v-text-field
      class="w2"
      label="Amount on top"
      hint="-0.50 takes off"
      :model-value="amount(offer.amount_minor || null)"
      @change="setAmount($event.target.value)"
    />
    <v-text-field
      v-for="(of, part) in { order: 'order', parcel: 'parcel', item: 'piece' }"
      :key="part"
      class="w2"
      :label="`Handling, each ${of}`"
      :model-value="amount(offer.handling?.[part] || null)"
      @change="set({ handling: { ...offer.handling, [part]: minor($event.target.value) ?? 0 } })"
    />
    <v-text-field
      class="w2"
      label="Price ending"
      hint="90 for .90"
      :model-value="offer.ending_minor ?? ''"
      @change="set({ ending_minor: figure($event.target.value) })"
    />
    <v-text-field
      class="w2"
      label="At least"
      :model-value="amount(offer.floor_minor)"
      @change="set({ floor_minor: minor($event.target.value) })"
    />
    <v-text-field
      class="w2"
      label="At most"
      :model-value="amount(offer.ceiling_minor)"
      @change="set({ ceiling_minor: minor($event.target.value) })"
    />
    <v-text-field
      class="w2"
      label="Free from"
      :model-value="amount(offer.free?.from_minor)"
      @change="set({ free: { ...offer.free, from_minor: minor($event.target.value) } })"
    />
    <v-text-field
      v-if="offer.price.kind === 'live'"
      class="w2"
      label="If nobody answers, at home"
      :model-value="amount(offer.fallback?.home_minor)"
      @change="set({ fallback: { ...offer.fallback, home_minor: minor($event.target.value) } })"
    />
    <v-text-field
      v-if="offer.price.kind === 'live'"
      class="w2"
      label="… and abroad"
      :model-value="amount(offer.fallback?.abroad_minor)"
      @change="set({ fallback: { ...offer.fallback, abroad_minor: minor($event.target.value) } })"
    />
    <v-text-field
      class="w2"
      label="Days to pack"
      :model-value="offer.packing_days || ''"
      @change="set({ packing_days: figure($event.target.value) ?? 0 })"
    />
    <v-checkbox
      class="w3"
      label="Free counts after vouchers"
      :model-value="offer.free?.counts === 'after'"
      @update:model-value="set({ free: { ...offer.free, counts: $event ? 'after' : 'before' } })"
    />
    <v-checkbox
      class="w3"
      label="Shoppers see it"
      :model-value="offer.on !== false"
      @update:model-value="set({ on: $event === true })"
    />
    <OfferLimits :offer="offer" :known="known" @change="emit('change', $event)" />
  </div>
</template>

<style scoped>
.offer-form {
  align-items: start;
  margin-top: 12px;
  padding-top: 12px;
  border-top: 1px solid var(--line);
}
</style>
