<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { closeReturn } from "../queries";
import { type Schemas } from "../../../api/client";
import { FormDialog } from "../../../shared/ui";

/** What is done about what came back, in which condition it came, and whether it goes on the shelf again. */
const props = defineProps<{ back: Schemas["ReturnOut"] }>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const OUTCOMES = ["refunded", "exchanged", "repaired", "sent on again", "nothing to do"];
const CONDITIONS = ["as new", "opened", "damaged", "incomplete"] as const;
const outcome = ref("refunded");
const condition = ref<(typeof CONDITIONS)[number]>("as new");
const restock = ref(true);
const close = useMutation({
  mutationFn: () =>
    closeReturn(props.back.id, {
      outcome: outcome.value,
      condition: props.back.state === "back" ? condition.value : "",
      restock: restock.value,
    }),
  onSuccess: () => {
    for (const key of ["returns", "today"]) void client.invalidateQueries({ queryKey: [key] });
    emit("close");
  },
});
const { isPending: busy } = close;
</script>

<template>
  <FormDialog
    :title="`The return of ${back.order_number}`"
    :error="close.error.value"
    @close="emit('close')"
    @send="close.mutate()"
  >
    <p v-if="back.items.length" class="mute">
      {{ back.items.map((i) => `${i.quantity} × ${i.name}`).join(", ") }}
    </p>
    <template v-if="back.state === 'back'">
      <v-select v-model="condition" v-first label="It came" :items="[...CONDITIONS]" />
      <v-checkbox v-model="restock" label="Back on the shelf" />
    </template>
    <v-select v-model="outcome" label="What is done" :items="OUTCOMES" />
    <p v-if="outcome === 'refunded'" class="small mute">
      The buyer is told, as Messages has it{{
        back.buyer_pays ? "; the label is taken off the refund" : ""
      }}.
    </p>
    <template #actions><v-btn type="submit" :loading="busy">Close it</v-btn></template>
  </FormDialog>
</template>
