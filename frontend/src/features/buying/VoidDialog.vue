<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { voidLabels } from "./queries";
import { ProblemError } from "../../api/client";
import { count, money } from "../../shared/format";
import { useMe } from "../../shared/session";
import type { Shipment } from "./queries";
import { FormDialog } from "../../shared/ui";

const props = defineProps<{ shipments: Shipment[] }>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const { currency } = useMe();
const total = computed(() => props.shipments.reduce((n, s) => n + s.price_minor, 0));
const printed = computed(() => props.shipments.filter((s) => s.labels.some((l) => l.printed_at)));
const sure = ref(false);
const ask = useMutation({
  mutationFn: () =>
    voidLabels({ shipment_ids: props.shipments.map((s) => s.id), printed_too: sure.value }),
  onSuccess: (done) => {
    for (const key of ["batch", "batches", "orders", "order", "today", "money", "refunds"])
      void client.invalidateQueries({ queryKey: [key] });
    if (done.asked.length && !Object.keys(done.refused).length) emit("close");
  },
});
const late = computed(
  () => ask.error.value instanceof ProblemError && ask.error.value.code === "printed",
);
const refused = computed(() =>
  Object.entries(ask.data.value?.refused ?? {}).map(
    ([id, why]) => `${props.shipments.find((s) => s.id === Number(id))?.order_number}: ${why}`,
  ),
);
</script>

<template>
  <FormDialog
    title="Void labels"
    :width="520"
    closes="Keep"
    :error="ask.error.value"
    @close="emit('close')"
    @send="ask.mutate()"
    ><template #title>
      Void
      {{
        shipments.length === 1
          ? `the label of ${shipments[0]!.order_number}`
          : count(shipments.length, "label")
      }}
    </template>
    <p v-if="refused.length" class="note bad" role="alert">Not voided. {{ refused.join("; ") }}.</p>
    <p>
      The carrier is asked to take {{ shipments.length === 1 ? "it" : "them" }} back.
      {{ money(total, currency) }} stay pending until it answers, which can take days to weeks; you
      see it under Money. The {{ shipments.length === 1 ? "order comes" : "orders come" }} back onto
      the work list now, with the plan {{ shipments.length === 1 ? "it" : "they" }} had.
    </p>
    <v-checkbox
      v-if="printed.length || late"
      v-model="sure"
      :label="`Printed already. I have looked: ${printed.length === 1 ? 'the label is' : 'the labels are'} on no parcel`"
    />
    <template #actions
      ><v-btn type="submit" :disabled="printed.length > 0 && !sure" :loading="ask.isPending.value"
        >Ask to void · {{ money(total, currency) }}</v-btn
      ></template
    ></FormDialog
  >
</template>
