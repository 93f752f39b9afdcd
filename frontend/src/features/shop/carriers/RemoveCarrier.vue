<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { type Schemas } from "../../../api/client";
import RehearsalView from "../../../shared/RehearsalView.vue";
import { FormDialog } from "../../../shared/ui";
import { removeCarrier, tryWithout } from "../queries";

/** Taking a carrier away: first what that does to the orders that wait. */
const props = defineProps<{ carrier: Schemas["CarrierOut"] }>();
const emit = defineEmits<{ close: []; removed: [] }>();
const client = useQueryClient();
const { data: found, error } = useQuery({
  queryKey: ["carriers", props.carrier.code, "without"],
  queryFn: () => tryWithout(props.carrier.code),
});
const remove = useMutation({
  mutationFn: () => removeCarrier(props.carrier.code),
  onSuccess: () => {
    void client.invalidateQueries();
    emit("removed");
  },
});
</script>

<template>
  <FormDialog
    :title="`Take ${carrier.name} away`"
    :width="680"
    :error="error ?? remove.error.value"
    closes="Keep it"
    @close="emit('close')"
    @send="remove.mutate()"
  >
    <p>
      Its labels, prices and accounts stay in the history. Orders that wait are planned without it.
    </p>
    <RehearsalView v-if="found" :found="found" :past="false" />
    <p v-else class="mute" role="status">Trying it over the orders that wait…</p>
    <template #actions
      ><v-btn type="submit" :loading="remove.isPending.value">Take it away</v-btn></template
    >
  </FormDialog>
</template>
