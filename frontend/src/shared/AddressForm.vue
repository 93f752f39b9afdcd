<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { api, need, type Schemas } from "../api/client";
import ReadAddress from "./ReadAddress.vue";
import { CountryField } from "./ui";
import { VTextField } from "vuetify/components";

const address = defineModel<Schemas["AddressIO"]>({ required: true });
const home = defineModel<boolean | undefined>("home", { default: undefined });
const props = withDefaults(defineProps<{ doubtful?: string[] }>(), { doubtful: () => [] });
const FIELDS = [
  ["name", "Name", "w3"],
  ["company", "Company", "w3"],
  ["street", "Street and number", "w4"],
  ["extra", "Unit, floor", "w2"],
  ["postcode", "Postcode", "w2"],
  ["city", "City", "w4"],
  ["region", "Region", "w3"],
  ["country", "Country", "w3"],
  ["phone", "Phone", "w3"],
  ["email", "E-mail", "w3"],
] as const;
type Field = (typeof FIELDS)[number][0];
const unsure = ref<Record<string, string>>({});
function take(parsed: Schemas["ParsedOut"]): void {
  for (const [key] of FIELDS) if (parsed.address[key]) address.value[key] = parsed.address[key];
  unsure.value = parsed.unsure;
}
function message(key: Field): string {
  return unsure.value[key] ?? (props.doubtful.includes(key) ? "Look at this field" : "");
}
// Past addresses, the address book and known towns, while a name or a town is typed.
const asked = ref<{ field: Field; text: string }>({ field: "name", text: "" });
let timer: number | undefined;
function set(field: Field, value: string): void {
  address.value[field] = value;
  typing(field);
}
function typing(field: Field): void {
  delete unsure.value[field];
  window.clearTimeout(timer);
  if (!["name", "company", "city", "postcode"].includes(field)) return;
  timer = window.setTimeout(() => (asked.value = { field, text: address.value[field] ?? "" }), 250);
}
const { data: suggested } = useQuery({
  queryKey: computed(() => ["suggest", asked.value.text]),
  queryFn: async () =>
    need(
      await api.GET("/api/addresses/suggest", { params: { query: { text: asked.value.text } } }),
    ),
  enabled: computed(() => asked.value.text.trim().length > 2),
});
const offers = computed(() =>
  asked.value.text.trim().length > 2
    ? (suggested.value ?? [])
        .filter((s) => (s.source === "town") === ["city", "postcode"].includes(asked.value.field))
        .slice(0, 5)
    : [],
);
function use(s: Schemas["SuggestionOut"]): void {
  for (const [key] of FIELDS) if (s.address[key]) address.value[key] = s.address[key];
  asked.value = { field: "name", text: "" };
}
watch(address, () => (unsure.value = {}));
</script>

<template>
  <ReadAddress @found="take" />
  <div class="form-grid">
    <component
      :is="key === 'country' ? CountryField : VTextField"
      v-for="[key, label, width] in FIELDS"
      :key="key"
      v-first="doubtful[0] === key"
      :model-value="address[key] ?? ''"
      :class="width"
      :label="label"
      maxlength="120"
      :error="doubtful.includes(key)"
      :messages="message(key)"
      autocomplete="off"
      @update:model-value="set(key, $event)"
    />
    <div v-if="offers.length" class="w6 offers" role="group" aria-label="Known addresses">
      <button v-for="(s, i) in offers" :key="i" class="chip" type="button" @click="use(s)">
        {{
          [s.address.name || s.address.company, s.address.street, s.address.city, s.address.country]
            .filter(Boolean)
            .join(", ")
        }}
        <span class="mute small">{{ s.source === "town" ? s.label : s.source }}</span>
      </button>
    </div>
    <v-checkbox
      v-if="home !== undefined"
      v-model="home"
      class="w6"
      label="A home address (some carriers charge for the door)"
    />
  </div>
</template>

<style scoped>
.offers {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
</style>
