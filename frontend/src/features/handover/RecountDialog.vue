<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { openCountAgain } from "./queries";
import { keyOf } from "./useDepartures";
import { type Schemas } from "../../api/client";
import { FormDialog } from "../../shared/ui";

/** The owner says why the count of a departure that has gone is opened again. */
const props = defineProps<{ lane: Schemas["LaneOut"] }>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const why = ref("");
const open = useMutation({
  mutationFn: () => openCountAgain({ ...keyOf(props.lane), why: why.value }),
  onSuccess: async () => {
    await Promise.all(
      [["departures"], ["today"]].map((queryKey) => client.invalidateQueries({ queryKey })),
    );
    emit("close");
  },
});
const { isPending: opening } = open;
</script>

<template>
  <FormDialog
    :title="`Open the count of ${lane.name} again`"
    :width="520"
    :error="open.error.value"
    @close="emit('close')"
    @send="open.mutate()"
  >
    <p>
      What the carrier has scanned stays gone; the rest lies here again, counted out, until it is
      handed over once more. The manifest stays as it is, and so do the labels: they cannot be
      voided.
    </p>
    <v-text-field v-model="why" v-first label="Why" maxlength="200" />
    <template #actions>
      <v-btn type="submit" :loading="opening" :disabled="!why.trim()">Open the count</v-btn>
    </template>
  </FormDialog>
</template>
