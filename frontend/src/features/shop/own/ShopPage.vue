<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref, watch } from "vue";
import { type Schemas } from "../../../api/client";
import { CURRENCIES, ZONES } from "../../../shared/choices";
import { amountText, minorOf } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { AmountField, ErrorNote } from "../../../shared/ui";
import { saveShop, shopQuery } from "../queries";
import MailServer from "./MailServer.vue";

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
    draft.value = { ...now };
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
        “balanced”. The tolerance for prices that changed is set under Money, the logo under
        Printing. The currency stays once there are orders, rate cards or entries in the books.
      </p>
      <p v-if="may()">
        <v-btn type="submit" :loading="save.isPending.value">Save the shop</v-btn>
        <span v-if="save.isSuccess.value" class="fine small saved" role="status">Saved.</span>
      </p>
    </form>
    <MailServer v-if="may()" />
  </div>
</template>

<style scoped>
.panel {
  max-width: 820px;
  padding: 16px;
}
.saved {
  margin-left: 12px;
}
</style>
