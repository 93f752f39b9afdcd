<script setup lang="ts">
import { useClipboard } from "@vueuse/core";

/** Something that is shown once: a link or a key, with a button that copies it. */
const props = defineProps<{ label: string; text: string }>();
const { copy, copied } = useClipboard({ source: () => props.text, legacy: true });
</script>

<template>
  <p class="copy-line">
    <input
      :value="text"
      :aria-label="label"
      readonly
      @focus="($event.target as HTMLInputElement).select()"
    />
    <v-btn variant="outlined" @click="copy()">{{ copied ? "Copied" : "Copy" }}</v-btn>
  </p>
</template>

<style scoped>
.copy-line {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 6px 0;
}
.copy-line input {
  flex: 1;
  min-width: 0;
  font-family: var(--mono, monospace);
  font-size: 12.5px;
}
</style>
