<script setup lang="ts" generic="Value extends string | number | boolean | null">
/** One of a few things, by name; small enough to stand inside a sentence. */
const value = defineModel<Value>({ required: true });
defineProps<{
  label: string;
  items: readonly { value: Value; title: string }[];
  disabled?: boolean;
}>();
</script>

<template>
  <v-select
    v-model="value"
    class="select-field"
    :items="items as { value: Value; title: string }[]"
    :aria-label="label"
    :disabled="disabled"
  />
</template>

<style scoped>
.select-field {
  display: inline-flex;
  min-width: 92px;
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
