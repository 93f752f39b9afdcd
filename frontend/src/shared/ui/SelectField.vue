<script setup lang="ts" generic="Value extends string | number | boolean | null">
/** One of a few things, by name; small enough to stand inside a sentence. */
const value = defineModel<Value>({ required: true });
defineProps<{
  label: string;
  items: readonly { value: Value; title: string }[];
  disabled?: boolean;
  /** Show the label on the field itself, where no words stand before it. */
  above?: boolean;
}>();
</script>

<template>
  <v-select
    v-model="value"
    class="select-field"
    :items="items as { value: Value; title: string }[]"
    :aria-label="label"
    :label="above ? label : undefined"
    :disabled="disabled"
  />
</template>

<style scoped>
.select-field {
  display: inline-grid;
  min-width: 150px;
  max-width: 320px;
  flex: 0 1 auto;
  vertical-align: middle;
}
.select-field :deep(.v-field__input) {
  min-height: 30px;
  padding-top: 2px;
  padding-bottom: 2px;
}
</style>
