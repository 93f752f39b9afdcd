<script setup lang="ts">
import type { Schemas } from "../api/client";

const address = defineModel<Schemas["AddressIO"]>({ required: true });
const home = defineModel<boolean>("home");
withDefaults(defineProps<{ doubtful?: string[] }>(), { doubtful: () => [] });
const FIELDS = [
  ["name", "Name", "w3"], ["company", "Company", "w3"], ["street", "Street and number", "w4"], ["extra", "Unit, floor", "w2"],
  ["postcode", "Postcode", "w2"], ["city", "City", "w4"], ["region", "Region", "w3"], ["country", "Country, two letters", "w3"],
  ["phone", "Phone", "w3"], ["email", "E-mail", "w3"],
] as const;
</script>

<template>
  <div class="form-grid">
    <v-text-field
      v-for="[key, label, width] in FIELDS" :key="key" v-model="address[key]" :class="width" :label="label" maxlength="120"
      :autofocus="doubtful[0] === key" :error="doubtful.includes(key)" :messages="doubtful.includes(key) ? 'Look at this field' : ''"
    />
    <v-checkbox v-if="home !== undefined" v-model="home" class="w6" label="A home address (some carriers charge for the door)" />
  </div>
</template>
