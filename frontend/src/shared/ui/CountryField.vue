<script setup lang="ts">
import { COUNTRIES } from "../countries";

/** A country by its name; the model is its code (ISO 3166, two letters). */
const code = defineModel<string>({ required: true });
withDefaults(defineProps<{ label?: string }>(), { label: "Country" });
</script>

<template>
  <v-autocomplete
    :model-value="code || null"
    :label="label"
    :items="COUNTRIES"
    auto-select-first
    autocomplete="off"
    @update:model-value="code = $event ?? ''"
  />
</template>
