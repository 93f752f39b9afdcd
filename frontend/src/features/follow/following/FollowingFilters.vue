<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import {
  ALL,
  followingViewsQuery,
  removeFollowingView,
  saveFollowingView,
  type Asks,
  type Parcel,
} from "./queries";
import { country } from "../../../shared/format";
import { ErrorNote, SelectField } from "../../../shared/ui";

/** What of the list is looked at: own views and troubles in one press, the rest behind Filter. */
const asks = defineModel<Asks>({ required: true });
const props = defineProps<{
  parcels: Parcel[];
  counts: Record<string, number>;
  kinds: Record<string, string>;
  carriers: Record<string, string>;
}>();
const client = useQueryClient();
const { data: views } = useQuery(followingViewsQuery);
const open = ref(false);
const name = ref("");
const some = (of: (p: Parcel) => string) => [...new Set(props.parcels.map(of))].sort();
const carrierItems = computed(() =>
  some((p) => p.carrier).map((c) => ({ value: c, title: props.carriers[c] ?? c })),
);
const countryItems = computed(() =>
  some((p) => p.country).map((c) => ({ value: c, title: country(c) })),
);
const behind = computed(
  () => [asks.value.carrier, asks.value.country, asks.value.words].filter(Boolean).length,
);
const set = (part: Partial<Asks>) => (asks.value = { ...asks.value, ...part });
const isHere = (view: Asks) =>
  (Object.keys(ALL) as (keyof Asks)[]).every((f) => view[f] === asks.value[f]);
const change = useMutation({
  mutationFn: async (what: () => Promise<unknown>) => what(),
  onSuccess: () => {
    name.value = "";
    void client.invalidateQueries({ queryKey: followingViewsQuery.queryKey });
  },
});
const save = () => change.mutate(() => saveFollowingView(name.value, asks.value));
const remove = (id: number) => change.mutate(() => removeFollowingView(id));
</script>

<template>
  <p class="kinds" role="group" aria-label="What is looked at">
    <button type="button" class="chip" :aria-expanded="open" @click="open = !open">
      Filter{{ behind ? ` · ${behind}` : "" }}
    </button>
    <button
      v-for="v in views"
      :key="v.id"
      type="button"
      class="chip own"
      :aria-pressed="isHere(v.asks)"
      @click="asks = isHere(v.asks) ? ALL : v.asks"
    >
      {{ v.name }}
    </button>
    <button
      v-for="(n, kind) in counts"
      :key="kind"
      type="button"
      class="chip"
      :aria-pressed="asks.trouble === kind"
      @click="set({ trouble: asks.trouble === kind ? '' : kind })"
    >
      {{ kinds[kind] }} {{ n }}
    </button>
  </p>
  <ErrorNote :error="change.error.value" />
  <form v-if="open" class="filters" @submit.prevent="save">
    <SelectField
      label="Carrier"
      :model-value="asks.carrier"
      :items="[{ value: '', title: 'Any carrier' }, ...carrierItems]"
      @update:model-value="set({ carrier: $event })"
    />
    <SelectField
      label="Country"
      :model-value="asks.country"
      :items="[{ value: '', title: 'Any country' }, ...countryItems]"
      @update:model-value="set({ country: $event })"
    />
    <v-text-field
      :model-value="asks.words"
      label="Words"
      maxlength="80"
      clearable
      @update:model-value="set({ words: $event ?? '' })"
    />
    <v-text-field v-model="name" label="Name of this view" maxlength="60" required />
    <v-btn type="submit" variant="outlined" :loading="change.isPending.value">Save the view</v-btn>
    <span class="gone">
      <button v-for="v in views" :key="v.id" type="button" class="quiet" @click="remove(v.id)">
        Remove “{{ v.name }}”
      </button>
    </span>
  </form>
</template>

<style scoped>
.kinds {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 14px 0 0;
}
.filters {
  display: grid;
  grid-template-columns: repeat(4, minmax(120px, 190px)) auto;
  gap: 10px;
  align-items: center;
  margin-top: 10px;
}
.filters .v-btn {
  justify-self: start;
}
.gone {
  grid-column: 1 / -1;
}
.own {
  font-weight: 600;
}
</style>
