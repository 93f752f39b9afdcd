<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { carriersQuery } from "../../shop";

/** On which of our accounts with the carrier an order goes: the cheapest, unless somebody binds it to one. */
const props = defineProps<{ carrier: string; account: string; bound: string }>();
const emit = defineEmits<{ set: [number: string | null] }>();
const { data: carriers } = useQuery(carriersQuery);
const here = computed(() => carriers.value?.find((c) => c.code === props.carrier));
const used = computed(() => here.value?.accounts.filter((a) => a.active) ?? []);
const called = (number: string): string => {
  const name = used.value.find((a) => a.number === number)?.name;
  return name ? `${name}, ${number}` : number;
};
const items = computed(() => [
  {
    title: props.bound
      ? `Cheapest of ${used.value.length} accounts`
      : `Cheapest: ${called(props.account)}`,
    value: "",
  },
  ...used.value.map((a) => ({ title: called(a.number), value: a.number })),
]);
</script>

<template>
  <template v-if="used.length > 1">
    <h3>Account with {{ here?.name }}</h3>
    <v-select
      :model-value="bound"
      :aria-label="`Account with ${here?.name}`"
      :items="items"
      @update:model-value="emit('set', $event || null)"
    />
  </template>
</template>

<style scoped>
h3 {
  margin: 10px 0 4px;
  font-size: 12px;
  font-weight: 400;
  color: var(--mute);
}
</style>
