<script setup lang="ts">
import ErrorNote from "./ErrorNote.vue";

/** A question in a dialog: a heading, fields, what went wrong, and buttons; Enter sends it, Escape closes it.
 * `closes` is what the button says that leaves things as they are. */
defineProps<{ title: string; error?: unknown; width?: number; closes?: string }>();
const emit = defineEmits<{ close: []; send: [] }>();
</script>

<template>
  <v-dialog
    :model-value="true"
    :max-width="width ?? 560"
    :aria-label="title"
    @update:model-value="emit('close')"
  >
    <v-card>
      <form @submit.prevent="emit('send')">
        <div class="dialog-head">
          <slot name="title">{{ title }}</slot>
        </div>
        <div class="dialog-body">
          <ErrorNote :error="error" />
          <slot />
        </div>
        <div class="dialog-actions">
          <slot name="beside" />
          <v-btn variant="text" @click="emit('close')">{{ closes ?? "Not now" }}</v-btn>
          <slot name="actions" />
        </div>
      </form>
    </v-card>
  </v-dialog>
</template>
