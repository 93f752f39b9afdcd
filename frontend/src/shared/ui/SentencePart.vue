<script setup lang="ts">
import { nextTick, ref } from "vue";

/** A part of a sentence that is edited where it stands: pressed it becomes a field, Enter or leaving it takes the value. */
const props = defineProps<{
  modelValue: string;
  label: string;
  shown?: string;
  choices?: string[];
  width?: number;
  bad?: boolean;
}>();
const emit = defineEmits<{ "update:modelValue": [value: string] }>();
const open = ref(false);
const draft = ref("");
const field = ref<HTMLInputElement | null>(null);
async function edit(): Promise<void> {
  draft.value = props.modelValue;
  open.value = true;
  await nextTick();
  field.value?.focus();
  field.value?.select();
}
function take(): void {
  if (!open.value) return;
  open.value = false;
  emit("update:modelValue", draft.value.trim());
}
</script>

<template>
  <span v-if="open" class="part-edit">
    <input
      ref="field"
      v-model="draft"
      class="part-field"
      :aria-label="label"
      :list="choices ? `choices-${label}` : undefined"
      :style="{ width: `${width ?? 8}ch` }"
      maxlength="300"
      @blur="take"
      @keydown.enter.prevent="take"
      @keydown.esc.prevent.stop="open = false"
    />
    <datalist v-if="choices" :id="`choices-${label}`">
      <option v-for="c in choices" :key="c" :value="c" />
    </datalist>
  </span>
  <button
    v-else
    type="button"
    class="part"
    :class="{ bad }"
    :aria-label="`${label}: ${shown ?? modelValue}`"
    @click="edit"
  >
    {{ shown ?? modelValue }}
  </button>
</template>

<style scoped>
.part {
  padding: 0 1px;
  font: inherit;
  font-weight: 650;
  color: var(--mul);
  background: none;
  border: 0;
  border-bottom: 1px dotted currentcolor;
  cursor: pointer;
}
.part.bad {
  color: var(--brick);
}
.part-field {
  padding: 0 4px;
  font: inherit;
  color: inherit;
  background: var(--sheet);
  border: 1px solid var(--mul);
}
</style>
