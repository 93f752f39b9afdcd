<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { saveLimits, limitsQuery } from "./queries";
import { amountText, count, minorOf, money } from "../../shared/format";
import { type Schemas } from "../../api/client";
import { useMe } from "../../shared/session";
import { vocabularyQuery } from "../shape";
import { AmountField, FormDialog } from "../../shared/ui";

const client = useQueryClient();
const { currency, may } = useMe();
const { data: kept } = useQuery(limitsQuery);
const { data: vocabulary } = useQuery(vocabularyQuery);
const editing = ref<{ low: string; over: string; services: string[]; tolerance: string }>();
const shown = (minor: number | null | undefined) =>
  minor === null || minor === undefined ? "" : amountText(minor, currency.value);
const cents = (typed: string) => minorOf(typed, currency.value) ?? 0;
function start(): void {
  const k = kept.value!;
  editing.value = {
    low: shown(k.low_balance_minor),
    over: shown(k.approve_over_minor),
    services: [...(k.approve_services ?? [])],
    tolerance: shown(k.price_tolerance_minor),
  };
}
const save = useMutation({
  mutationFn: async () => {
    const e = editing.value!;
    const body: Schemas["MoneySettings"] = {
      low_balance_minor: cents(e.low),
      approve_over_minor: e.over.trim() ? cents(e.over) : null,
      approve_services: e.services,
      price_tolerance_minor: cents(e.tolerance),
    };
    return await saveLimits(body);
  },
  onSuccess: () => {
    editing.value = undefined;
    void client.invalidateQueries();
  },
});
const services = computed(() =>
  Object.entries(vocabulary.value?.choices.services ?? {}).map(([value, title]) => ({
    title,
    value,
  })),
);
</script>

<template>
  <p v-if="kept" class="small">
    The owner approves
    {{
      kept.approve_over_minor === null
        ? "no label for its price"
        : `labels dearer than ${money(kept.approve_over_minor, currency)}`
    }}{{
      kept.approve_services?.length
        ? ` and ${count(kept.approve_services.length, "service")} by name`
        : ""
    }}; below {{ money(kept.low_balance_minor, currency) }} the balance is low; a carrier may ask
    {{
      kept.price_tolerance_minor
        ? `up to ${money(kept.price_tolerance_minor, currency)} more`
        : "no cent more"
    }}
    than was shown.
    <button v-if="may()" class="link" type="button" @click="start">Change</button>
  </p>
  <FormDialog
    v-if="editing"
    title="Limits"
    :width="560"
    :error="save.error.value"
    @close="editing = undefined"
    @send="save.mutate()"
  >
    <div class="form-grid">
      <AmountField
        v-model="editing.over"
        v-first
        class="w3"
        label="Approve what is dearer than (empty: nothing)"
      />
      <AmountField v-model="editing.low" class="w3" label="The balance is low below" />
      <v-select
        v-model="editing.services"
        class="w6"
        label="Approve these services whatever they cost"
        multiple
        chips
        closable-chips
        :items="services"
      />
      <AmountField v-model="editing.tolerance" class="w3" label="A carrier may ask more by" />
    </div>
    <p class="mute small">Waiting orders are planned anew, since some may then need a yes.</p>
    <template #actions
      ><v-btn type="submit" :loading="save.isPending.value">Save the limits</v-btn></template
    >
  </FormDialog>
</template>
