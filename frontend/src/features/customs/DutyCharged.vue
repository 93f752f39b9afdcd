<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { chargedQuery, customsQuery, sayCharged, type Customs } from "./queries";
import { amountText, minorOf, money } from "../../shared/format";
import { AmountField, ErrorNote } from "../../shared/ui";

/** What the border asked for in the end, beside the estimate that was frozen at the purchase. */
const props = defineProps<{ orderId: number; customs: Customs; editable: boolean }>();
const client = useQueryClient();
const typing = ref(false);
const typed = ref<string>("");
const charged = computed(() => props.customs.charged_minor);
const more = computed(() => (charged.value ?? 0) - (props.customs.due?.in_order_minor ?? 0));
const keep = useMutation({
  mutationFn: () => {
    const text = (typed.value ?? "").trim();
    const minor = text ? minorOf(text, props.customs.currency) : null;
    if (minor === undefined) throw new Error(`“${text}” is no amount.`);
    return sayCharged(props.orderId, minor);
  },
  onSuccess: (fresh) => {
    typing.value = false;
    client.setQueryData(customsQuery(props.orderId).queryKey, fresh);
    void client.invalidateQueries({ queryKey: chargedQuery.queryKey });
  },
});
const { isPending: keeping } = keep;
function start(): void {
  const known = charged.value;
  typed.value = typeof known === "number" ? amountText(known, props.customs.currency) : "";
  typing.value = true;
}
</script>

<template>
  <ErrorNote :error="keep.error.value" />
  <form v-if="typing" class="row" @submit.prevent="keep.mutate()">
    <AmountField v-model="typed" v-first label="Charged in the end" />
    <v-btn type="submit" variant="outlined" :loading="keeping">Keep it</v-btn>
    <button type="button" class="link" @click="typing = false">Leave it</button>
  </form>
  <p v-else-if="typeof charged === 'number'">
    Charged in the end: <b>{{ money(charged, customs.currency) }}</b>,
    <span :class="more > 0 ? 'press' : 'fine'">
      {{
        more
          ? `${money(Math.abs(more), customs.currency)} ${more > 0 ? "more" : "less"} than reckoned`
          : "as reckoned"
      }}</span
    >
    <button v-if="editable" type="button" class="link" @click="start">Change</button>
  </p>
  <p v-else-if="editable">
    <button type="button" class="link" @click="start">Note what was charged</button>
  </p>
</template>

<style scoped>
.row {
  display: flex;
  gap: 12px;
  align-items: center;
}
</style>
