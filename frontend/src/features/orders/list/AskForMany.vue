<script setup lang="ts">
import { count } from "../../../shared/format";
import { FormDialog } from "../../../shared/ui";
import type { ForMany } from "./useOrderActions";

/** One key is about to change several orders: is that meant? */
defineProps<{ asked: ForMany; busy: boolean }>();
const emit = defineEmits<{ close: []; send: [] }>();
</script>

<template>
  <FormDialog
    title="Set for several orders"
    :width="480"
    @close="emit('close')"
    @send="emit('send')"
  >
    <template #title>Use “{{ asked.name }}” for {{ count(asked.ids.length, "order") }}?</template>
    <p class="mute">Set by hand: it stays when the plan is made again. It can be undone for all.</p>
    <template #actions
      ><v-btn v-first.button type="submit" :loading="busy"
        >Set it for {{ count(asked.ids.length, "order") }}</v-btn
      ></template
    >
  </FormDialog>
</template>
