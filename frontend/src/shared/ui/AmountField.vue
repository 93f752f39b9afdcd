<script setup lang="ts">
import { ref, watch } from "vue";
import { amountText, minorOf } from "../format";
import { useMe } from "../session";

/** A sum in the shop's currency; the model is in its minor units, null where nothing is written. */
const minor = defineModel<number | null>({ default: null });
defineProps<{ label: string }>();
const { currency } = useMe();
const typed = ref("");
const wrong = ref("");
watch(
  [minor, currency],
  () => (typed.value = minor.value === null ? "" : amountText(minor.value, currency.value)),
  { immediate: true },
);
function take(): void {
  const read = typed.value.trim() ? minorOf(typed.value, currency.value) : null;
  wrong.value = read === undefined ? `Write a sum in ${currency.value}, like 4.90` : "";
  if (read !== undefined) minor.value = read;
}
</script>

<template>
  <v-text-field
    v-model="typed"
    :label="label"
    :suffix="currency"
    :error-messages="wrong"
    inputmode="decimal"
    @change="take"
  />
</template>
