<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref, watch } from "vue";
import { type Schemas } from "../../../api/client";
import { CURRENCIES, ZONES } from "../../../shared/choices";
import { amountText, longDay, minorOf } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { AmountField, DateField, ErrorNote } from "../../../shared/ui";
import { saveShop, shopQuery } from "../queries";
import LogoField from "./LogoField.vue";
import MailServer from "./MailServer.vue";
import SmsGateway from "./SmsGateway.vue";

/** The shop itself: its name and brand, its clock, money and units, and what a day is worth to it. */
const client = useQueryClient();
const { may } = useMe();
const { data: shop, error } = useQuery(shopQuery);
const draft = ref<Schemas["ShopIO"]>();
const sooner = ref("");
const late = ref("");
watch(
  shop,
  (now) => {
    if (!now || draft.value) return;
    draft.value = { ...now, closed: [...(now.closed ?? [])] };
    sooner.value = amountText(now.day_value_minor, now.currency);
    late.value = amountText(now.late_value_minor, now.currency);
  },
  { immediate: true },
);
const save = useMutation({
  mutationFn: (said: Schemas["ShopIO"]) =>
    saveShop({
      ...said,
      day_value_minor: minorOf(sooner.value, said.currency) ?? said.day_value_minor,
      late_value_minor: minorOf(late.value, said.currency) ?? said.late_value_minor,
    }),
  onSuccess: () => client.invalidateQueries(),
});
const first = ref<string | null>(null);
const last = ref<string | null>(null);
/** One more stretch of closed days; it counts once the shop is saved. */
function close(): void {
  const [from, to] = [first.value!, last.value ?? first.value!];
  draft.value!.closed = [...(draft.value!.closed ?? []), { first: from, last: to }].sort((a, b) =>
    a.first.localeCompare(b.first),
  );
  first.value = last.value = null;
}
const UNITS = [
  { value: "metric" as const, title: "kilograms, centimetres" },
  { value: "imperial" as const, title: "pounds, inches" },
];
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Shop</h1>
      <span class="mute">What it is called, and how it counts time, money and size</span>
    </div>
    <ErrorNote :error="error ?? save.error.value" />
    <p v-if="!draft" class="empty">Fetching the shop…</p>
    <form v-else class="panel" aria-label="The shop" @submit.prevent="save.mutate(draft)">
      <div class="form-grid">
        <v-text-field
          v-model="draft.name"
          class="w3"
          label="Name of the shop"
          :readonly="!may()"
          required
        />
        <v-text-field
          v-model="draft.brand"
          class="w3"
          label="Brand that buyers see"
          :readonly="!may()"
          required
        />
        <v-autocomplete
          v-model="draft.time_zone"
          class="w3"
          label="Time zone"
          :items="ZONES"
          :readonly="!may()"
          auto-select-first
        />
        <v-autocomplete
          v-model="draft.currency"
          class="w3"
          label="Currency"
          :items="CURRENCIES"
          :readonly="!may()"
          auto-select-first
        />
        <v-select
          v-model="draft.units"
          class="w3"
          label="Weights and sizes in"
          :items="UNITS"
          :disabled="!may()"
        />
        <span class="w3" />
        <AmountField v-model="sooner" class="w3" label="A day sooner is worth" />
        <AmountField v-model="late" class="w3" label="A day after the promise costs" />
      </div>
      <p class="mute small">
        What a day is worth decides between a cheap service and a fast one where the policy is
        “balanced”. The tolerance for prices that changed is set under Money. The currency stays
        once there are orders, rate cards or entries in the books.
      </p>
      <h3>Days when nothing is handed over</h3>
      <p class="mute small">
        Beside Sundays and public holidays: nothing is planned to leave on them.
      </p>
      <ul v-if="draft.closed?.length" class="closed">
        <li v-for="(c, i) in draft.closed" :key="c.first">
          {{ c.first === c.last ? longDay(c.first) : `${longDay(c.first)} to ${longDay(c.last)}` }}
          <button
            v-if="may()"
            class="link"
            type="button"
            :aria-label="`Open again on ${longDay(c.first)}`"
            @click="draft.closed!.splice(i, 1)"
          >
            Take away
          </button>
        </li>
      </ul>
      <div v-if="may()" class="form-grid">
        <DateField v-model="first" class="w2" label="First day closed" clearable />
        <DateField
          v-model="last"
          class="w2"
          label="Last day closed"
          :min="first ?? undefined"
          clearable
        />
        <v-btn class="w1" variant="outlined" :disabled="!first" @click="close">Add</v-btn>
      </div>
      <p v-if="may()">
        <v-btn type="submit" :loading="save.isPending.value">Save the shop</v-btn>
        <span v-if="save.isSuccess.value" class="fine small saved" role="status">Saved.</span>
      </p>
    </form>
    <LogoField v-if="may()" />
    <MailServer v-if="may()" />
    <SmsGateway v-if="may()" />
  </div>
</template>

<style scoped>
.panel {
  max-width: 820px;
  padding: 16px;
}
.closed {
  margin: 4px 0 12px 18px;
}
.saved {
  margin-left: 12px;
}
</style>
