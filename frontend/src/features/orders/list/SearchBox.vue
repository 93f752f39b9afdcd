<script setup lang="ts">
import { refDebounced } from "@vueuse/core";
import { ref, watch } from "vue";

/** The box to search the list in: what is typed is looked for after a moment; Escape leaves it and shows all again. */
const props = defineProps<{ text: string | undefined }>();
const emit = defineEmits<{ look: [text: string | undefined] }>();
const field = ref<HTMLInputElement>();
const words = ref("");
const typed = refDebounced(words, 200);
watch(typed, (value) => {
  const wanted = value.trim() || undefined;
  if (wanted !== props.text) emit("look", wanted);
});
/** A view that was saved with a search shows it here, too. */
watch(
  () => props.text,
  (wanted = "") => {
    if (wanted !== words.value.trim()) words.value = wanted;
  },
  { immediate: true },
);
function leave(): void {
  words.value = "";
  emit("look", undefined);
  field.value?.blur();
}
defineExpose({ focus: () => field.value?.focus() });
</script>

<template>
  <input
    ref="field"
    v-model="words"
    class="search"
    type="search"
    placeholder="Search  /"
    aria-label="Search in the list"
    @keydown.esc.stop.prevent="leave"
    @keydown.enter="field?.blur()"
  />
</template>

<style scoped>
.search {
  font: inherit;
  border: 1px solid var(--line);
  background: var(--sheet);
  color: var(--ink);
  border-radius: 4px;
  padding: 4px 10px;
  width: 150px;
}
</style>
