<script setup lang="ts">
/** Yes or no, with its words beside it. */
const on = defineModel<boolean>({ required: true });
defineProps<{ label?: string; disabled?: boolean }>();
</script>

<template>
  <v-checkbox-btn
    v-model="on"
    class="check-field"
    density="compact"
    color="primary"
    :label="label"
    :disabled="disabled"
  />
</template>

<style scoped>
.check-field {
  display: inline-flex;
  grid-area: auto;
  vertical-align: middle;
  flex: 0 0 auto;
}
</style>
