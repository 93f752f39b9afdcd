<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { reactive, ref } from "vue";
import { customsQuery, setCustoms, type Customs, type CustomsSaid } from "./queries";
import { amountText, minorOf } from "../../shared/format";
import { AmountField, CountryField, FormDialog, SelectField } from "../../shared/ui";

/** What is said of one order's customs; what is left as it is follows the products. */
const props = defineProps<{ orderId: number; customs: Customs }>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const PURPOSES = [
  { value: "sale", title: "Sale of goods" },
  { value: "gift", title: "Gift" },
  { value: "sample", title: "Commercial sample" },
  { value: "return", title: "Returned goods" },
  { value: "repair", title: "Repair" },
  { value: "personal", title: "Personal effects" },
  { value: "documents", title: "Documents" },
] as const;
const purpose = ref<NonNullable<CustomsSaid["purpose"]>>(props.customs.said.purpose ?? "sale");
const number = ref(props.customs.said.recipient_number ?? "");
const firstExport = ref(props.customs.said.first_export ?? "");
const broker = ref(props.customs.said.broker ?? "");
const dutiesAccount = ref(props.customs.said.duties_account ?? "");
const papers = reactive<Record<string, string>>({ ...props.customs.said.papers });
/** What we make ourselves, or the carrier for us; any other paper comes from an authority and has a number. */
const MADE =
  /^(cn22|cn23|invoice|pro_forma|packing_list|origin_statement|export_declaration|returned_goods)$/;
const certificates = Object.fromEntries(
  props.customs.needs.filter((n) => n.copies && !MADE.test(n.kind)).map((n) => [n.kind, n.words]),
);
for (const kind of Object.keys(certificates)) papers[kind] ??= "";
function eachOf(item: Customs["items"][number]): string | undefined {
  return amountText(Math.round(item.value_minor / item.quantity), props.customs.currency);
}
const items = reactive(
  props.customs.items.map((item) => ({
    line: item.line,
    name: item.name,
    quantity: item.quantity,
    before: { text: item.text, hs_code: item.hs_code, origin: item.origin },
    text: item.text,
    hs_code: item.hs_code,
    origin: item.origin,
    each: eachOf(item),
    eachBefore: eachOf(item),
    said: props.customs.said.items?.[item.line],
  })),
);
/** Only what differs from the product is set for this order. */
function itemsSaid(): CustomsSaid["items"] {
  const said: NonNullable<CustomsSaid["items"]> = {};
  for (const i of items) {
    const own = { ...i.said };
    for (const field of ["text", "hs_code", "origin"] as const)
      if (i[field] !== i.before[field]) own[field] = i[field];
    const each = minorOf(i.each ?? "", props.customs.currency);
    if (i.each !== i.eachBefore && each !== undefined) own.value_minor = each;
    if (Object.keys(own).length) said[i.line] = own as NonNullable<CustomsSaid["items"]>[string];
  }
  return said;
}
const save = useMutation({
  mutationFn: () =>
    setCustoms(props.orderId, {
      purpose: purpose.value,
      recipient_number: number.value.trim(),
      first_export: firstExport.value.trim(),
      broker: broker.value.trim(),
      duties_account: dutiesAccount.value.trim(),
      papers: Object.fromEntries(Object.entries(papers).filter(([, n]) => n.trim())),
      items: itemsSaid(),
    }),
  onSuccess: (fresh) => {
    client.setQueryData(customsQuery(props.orderId).queryKey, fresh);
    for (const key of ["orders", "order", "today"])
      void client.invalidateQueries({ queryKey: [key] });
    emit("close");
  },
});
const { isPending: busy } = save;
</script>

<template>
  <FormDialog
    title="The declaration of this order"
    :width="860"
    :error="save.error.value"
    @close="emit('close')"
    @send="save.mutate()"
  >
    <div class="two">
      <SelectField v-model="purpose" label="Why it goes" :items="PURPOSES" above />
      <v-text-field v-model="number" label="The recipient's tax number" maxlength="40" />
      <v-text-field v-model="broker" label="The recipient's broker, if any" maxlength="120" />
      <v-text-field
        v-model="dutiesAccount"
        label="A third party's account that pays the duties"
        maxlength="40"
      />
      <v-text-field
        v-if="purpose === 'return'"
        v-model="firstExport"
        label="Number and day of the first export"
        maxlength="60"
      />
      <v-text-field
        v-for="(_, kind) in papers"
        :key="kind"
        v-model="papers[kind]"
        :label="`Number: ${certificates[kind] ?? String(kind).replaceAll('_', ' ')}`"
        maxlength="40"
      />
    </div>
    <fieldset v-for="i in items" :key="i.line" class="item">
      <legend>{{ i.quantity }} × {{ i.name }}</legend>
      <v-text-field v-model="i.text" label="What it is, of what, for what" maxlength="200" />
      <v-text-field v-model="i.hs_code" label="Customs code" maxlength="16" />
      <CountryField v-model="i.origin" label="Made in" />
      <AmountField v-model="i.each" label="Value of one" />
    </fieldset>
    <p class="small mute">
      What you change here holds for this order alone. A product's own words, code and origin are
      changed in Set-up, Products. No sum that the buyer paid is changed.
    </p>
    <template #actions><v-btn type="submit" :loading="busy">Keep it</v-btn></template>
  </FormDialog>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
  align-items: center;
}
.item {
  border: 0;
  border-top: 1px solid var(--line);
  padding: 8px 0 4px;
  margin: 0;
  display: grid;
  grid-template-columns: 3fr 1.2fr 1.4fr 1fr;
  gap: 10px;
}
.item legend {
  font-weight: 600;
  font-size: 12.5px;
}
</style>
