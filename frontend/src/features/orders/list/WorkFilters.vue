<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { words, type Schemas } from "../../../api/client";
import { country } from "../../../shared/format";
import { filtersQuery, viewsQuery, type Asks, saveView, removeView } from "../queries";
import { SelectField } from "../../../shared/ui";

const asks = defineModel<Asks>({ required: true });
const client = useQueryClient();
const { data: filters } = useQuery(filtersQuery);
const { data: views } = useQuery(viewsQuery);
const open = ref(false);
const naming = ref("");
const FIELDS = [
  ["channel", "Channel"],
  ["country", "Country"],
  ["destination", "Destination"],
  ["promise", "Promise"],
  ["service", "Service"],
  ["snag", "Snag"],
  ["tag", "Tag"],
  ["desk", "Desk"],
] as const;
type Field = (typeof FIELDS)[number][0];
const active = computed(
  () =>
    FIELDS.filter(([f]) => asks.value[f]).length +
    (asks.value.priced === undefined ? 0 : 1) +
    (asks.value.linked === undefined ? 0 : 1),
);
const shown = (field: Field, value: string) =>
  field === "country" ? country(value) : value.replaceAll("_", " ");

function set(field: Field, value: string): void {
  asks.value = { ...asks.value, [field]: value || undefined };
}
function flag(field: "priced" | "linked", value: string): void {
  asks.value = { ...asks.value, [field]: value === "" ? undefined : value === "yes" };
}
function clear(): void {
  asks.value = { view: asks.value.view, sort: asks.value.sort, text: asks.value.text };
}
function use(view: Schemas["SavedViewOut"]): void {
  asks.value = { ...(view.asks as Asks) };
}
const save = useMutation({
  mutationFn: () => saveView({ name: naming.value, asks: asks.value as Schemas["AsksIn"] }),
  onSuccess: () => {
    naming.value = "";
    void client.invalidateQueries({ queryKey: ["views"] });
  },
});
const remove = useMutation({
  mutationFn: async (id: number) => removeView(id),
  onSuccess: () => client.invalidateQueries({ queryKey: ["views"] }),
});
</script>

<template>
  <div class="strip">
    <button class="chip" type="button" :aria-expanded="open" @click="open = !open">
      Filter{{ active ? ` · ${active}` : "" }}
    </button>
    <button v-for="v in views ?? []" :key="v.id" class="chip" type="button" @click="use(v)">
      {{ v.name }}
    </button>
    <button v-if="active" class="link" type="button" @click="clear">Show all again</button>
    <slot />
  </div>
  <div v-if="open" class="filters" role="group" aria-label="Filter the list">
    <SelectField
      v-for="[field, name] in FIELDS"
      :key="field"
      above
      :label="name"
      :model-value="asks[field] ?? ''"
      :items="[
        { value: '', title: 'any' },
        ...(filters?.[field] ?? []).map((value) => ({ value, title: shown(field, value) })),
      ]"
      @update:model-value="set(field, $event)"
    />
    <SelectField
      above
      label="Price"
      :model-value="asks.priced === undefined ? '' : asks.priced ? 'yes' : 'no'"
      :items="[
        { value: '', title: 'any' },
        { value: 'yes', title: 'has one' },
        { value: 'no', title: 'has none' },
      ]"
      @update:model-value="flag('priced', $event)"
    />
    <SelectField
      above
      label="Promise link"
      :model-value="asks.linked === undefined ? '' : asks.linked ? 'yes' : 'no'"
      :items="[
        { value: '', title: 'any' },
        { value: 'yes', title: 'linked' },
        { value: 'no', title: 'not linked' },
      ]"
      @update:model-value="flag('linked', $event)"
    />
    <form class="save" @submit.prevent="save.mutate()">
      <input
        v-model="naming"
        aria-label="Name of this view"
        placeholder="Name of this view"
        maxlength="60"
        required
      />
      <button class="link" type="submit">Save the view</button>
      <span v-if="save.error.value" class="stop small" role="alert">{{
        words(save.error.value)
      }}</span>
      <button
        v-for="v in views ?? []"
        :key="v.id"
        class="quiet"
        type="button"
        @click="remove.mutate(v.id)"
      >
        Remove “{{ v.name }}”
      </button>
    </form>
  </div>
</template>

<style scoped>
.strip {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 2px 18px 6px;
  flex-wrap: wrap;
}
.filters {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
  padding: 6px 18px 10px;
  border-bottom: 1px solid var(--line);
  font-size: 12px;
  color: var(--mute);
}
.filters .select-field {
  flex: 0 0 150px;
}
input {
  font: inherit;
  font-size: 13px;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 3px 6px;
  max-width: 180px;
}
.save {
  display: flex;
  gap: 8px;
  align-items: end;
}
</style>
