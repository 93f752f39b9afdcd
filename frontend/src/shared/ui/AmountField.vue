<script setup lang="ts">
import { useMe } from "../session";

/** An amount of money as it is typed, in the shop's currency; `minorOf` reads it. */
const typed = defineModel<string | undefined>({ required: true });
defineProps<{ label: string; required?: boolean; per?: string }>();
const { currency } = useMe();
</script>

<template>
  <v-text-field
    v-model="typed"
    :label="label"
    :suffix="per ? `${currency} ${per}` : currency"
    inputmode="decimal"
    :required="required"
  />
</template>
