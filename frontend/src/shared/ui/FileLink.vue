<script setup lang="ts">
/** Words to press for choosing a file; the same file can be chosen again after it was changed. */
defineProps<{ accept: string }>();
const emit = defineEmits<{ file: [file: File] }>();
function chosen(event: Event): void {
  const field = event.target as HTMLInputElement;
  const file = field.files?.[0];
  if (file) emit("file", file);
  field.value = "";
}
</script>

<template>
  <label class="link"
    ><slot /><input class="visually-hidden" type="file" :accept="accept" @change="chosen"
  /></label>
</template>
