<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { saveCover, coverQuery } from "./queries";
import { amountText, minorOf, money } from "../../shared/format";
import { type Schemas } from "../../api/client";
import { useMe } from "../../shared/session";
import { AmountField, FormDialog } from "../../shared/ui";

/** The open policy with an insurer: cover beside the carriers' own, billed later by the list of what went out. */
type Cover = Schemas["CoverIO"];
const client = useQueryClient();
const { currency, may } = useMe();
const { data: kept } = useQuery(coverQuery);
const KINDS: { title: string; value: NonNullable<Cover["not_covered"]>[number] }[] = [
  { title: "lithium batteries", value: "lithium" },
  { title: "limited quantities", value: "limited_quantity" },
  { title: "dry ice", value: "dry_ice" },
  { title: "dangerous goods", value: "dangerous" },
];
const typed = ref<{
  insurer: string;
  policy: string;
  per: string;
  step: string;
  least: string;
  most: string;
  not: NonNullable<Cover["not_covered"]>;
}>();
const shown = (minor: number | undefined): string =>
  minor === undefined ? "" : amountText(minor, currency.value);
const cents = (text: string): number => minorOf(text, currency.value) ?? 0;
function start(): void {
  const k = kept.value;
  typed.value = {
    insurer: k?.insurer ?? "",
    policy: k?.policy ?? "",
    per: shown(k?.per_step),
    step: shown(k?.step ?? 10_000),
    least: shown(k?.least ?? 0),
    most: shown(k?.most_value),
    not: [...(k?.not_covered ?? [])],
  };
}
const save = useMutation({
  mutationFn: async (body: Cover | null) => await saveCover(body),
  onSuccess: () => {
    typed.value = undefined;
    void client.invalidateQueries();
  },
});
function keep(): void {
  const t = typed.value!;
  save.mutate({
    insurer: t.insurer,
    policy: t.policy,
    per_step: cents(t.per),
    step: cents(t.step),
    least: cents(t.least),
    most_value: cents(t.most),
    not_covered: t.not,
  });
}
const month = computed(() => {
  const now = new Date();
  const first = `${now.getFullYear()}-${String(now.getMonth() + 1).padStart(2, "0")}`;
  return {
    since: `${first}-01`,
    until: `${first}-${String(new Date(now.getFullYear(), now.getMonth() + 1, 0).getDate()).padStart(2, "0")}`,
  };
});
const notCovered = computed(() =>
  KINDS.filter((k) => kept.value?.not_covered?.includes(k.value))
    .map((k) => k.title)
    .join(", "),
);
</script>

<template>
  <p class="small">
    <template v-if="kept"
      >Open policy with {{ kept.insurer
      }}<template v-if="kept.policy"
        >, <span class="mono">{{ kept.policy }}</span></template
      >: {{ money(kept.per_step, currency) }} per started {{ money(kept.step, currency) }} of value,
      at least {{ money(kept.least ?? 0, currency) }}, up to {{ money(kept.most_value, currency)
      }}<template v-if="notCovered">; not {{ notCovered }}</template
      >.
      <a
        v-if="may('shipper')"
        class="link"
        :href="`/api/cover/declarations?since=${month.since}&until=${month.until}`"
        >This month’s list for the insurer</a
      ></template
    >
    <template v-else>No open policy: goods are covered by the carriers only.</template>
    <button v-if="may()" class="link" type="button" @click="start">
      {{ kept ? "Change the policy" : "Set up an open policy" }}
    </button>
  </p>
  <FormDialog
    v-if="typed"
    title="Open policy"
    :width="560"
    :error="save.error.value"
    @close="typed = undefined"
    @send="keep"
  >
    <template #title>Open policy with an insurer</template>
    <div class="form-grid">
      <v-text-field
        v-model="typed.insurer"
        v-first
        class="w3"
        label="Insurer"
        maxlength="80"
        required
      />
      <v-text-field v-model="typed.policy" class="w3" label="Policy number" maxlength="60" />
      <AmountField v-model="typed.per" class="w3" label="Premium" required />
      <AmountField
        v-model="typed.step"
        class="w3"
        label="for every started"
        per="of value"
        required
      />
      <AmountField v-model="typed.least" class="w3" label="At least" />
      <AmountField v-model="typed.most" class="w3" label="Covers a shipment worth up to" required />
      <v-select
        v-model="typed.not"
        class="w6"
        label="Does not cover"
        multiple
        chips
        closable-chips
        :items="KINDS"
      />
    </div>
    <p class="mute small">
      The extra “insured” then stands beside the carriers’ own on every order, in rules and in
      recipes. The insurer bills it later; a label that is voided is not declared.
    </p>
    <template #beside
      ><v-btn v-if="kept" variant="text" @click="save.mutate(null)">End the policy</v-btn></template
    >
    <template #actions
      ><v-btn type="submit" :loading="save.isPending.value">Keep the policy</v-btn></template
    >
  </FormDialog>
</template>
