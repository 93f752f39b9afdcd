<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { count, minorOf } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { FormDialog } from "../../../shared/ui";
import { sayWorth, useAfterOrders, type OrderRow } from "../queries";

/** What goods in another currency are worth in the shop's: for one order, or for others at the same rate as well. */
const props = defineProps<{ row: OrderRow; also?: number[] }>();
const emit = defineEmits<{ close: [] }>();
const { currency } = useMe();
const after = useAfterOrders();
const typed = ref("");
const others = computed(() => (props.also ?? []).filter((id) => id !== props.row.id));
const everyone = ref(false);
const save = useMutation({
  mutationFn: async () => {
    const minor = minorOf(typed.value, currency.value);
    if (minor === undefined)
      throw new Error(`“${typed.value}” is not a valid amount in ${currency.value}.`);
    return await sayWorth(props.row.id, minor, everyone.value ? others.value : []);
  },
  onSuccess: () => {
    after();
    emit("close");
  },
});
const snag = computed(() => props.row.snags.find((s) => s.fix === "worth"));
</script>

<template>
  <FormDialog
    title="Value of the goods"
    :width="640"
    :error="save.error.value"
    @close="emit('close')"
    @send="save.mutate()"
  >
    <template v-if="snag" #title
      ><span class="snag" :class="snag.level">{{ snag.words }}</span></template
    >
    <p class="mute">Order {{ row.number }}, {{ row.items }}</p>
    <v-text-field
      v-model="typed"
      v-first
      label="Value of the goods"
      :prefix="currency"
      inputmode="decimal"
      required
    />
    <v-checkbox
      v-if="others.length"
      v-model="everyone"
      :label="`At the same rate for all ${others.length + 1} orders in ${row.currency}`"
    />
    <p class="mute small">
      Limits, cover and rules go by it. Customs papers and the invoice keep the prices in
      {{ row.currency }}.
    </p>
    <template #actions
      ><v-btn type="submit" :loading="save.isPending.value">{{
        everyone
          ? `Save and plan ${count(others.length + 1, "order")} again`
          : "Save and plan again"
      }}</v-btn></template
    >
  </FormDialog>
</template>
