<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { money } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { packagingQuery } from "../../shop";
import { useAfterOrders, type Hand, type OrderRow, type Sheet } from "../queries";
import BillTo from "./BillTo.vue";
import DivideParcels from "./DivideParcels.vue";
import OnAccount from "./OnAccount.vue";
import ParcelPanel from "./ParcelPanel.vue";
import PriceLines from "./PriceLines.vue";

/** How an order goes: its parcels, then service and payer, then extras, then what that costs. */
const props = defineProps<{
  sheet: Sheet;
  editable: boolean;
  saving: boolean;
  setByHand: readonly string[];
}>();
const emit = defineEmits<{ fix: [row: OrderRow]; set: [hand: Hand]; plan: [] }>();
const dividing = ref(false);
const { currency, may } = useMe();
const after = useAfterOrders();
const { data: boxes } = useQuery(packagingQuery);
const row = computed(() => props.sheet.row);
const point = ref("");
watch(
  () => props.sheet.hand.point,
  (kept) => (point.value = kept ?? ""),
  { immediate: true },
);
const own = computed(() =>
  (boxes.value ?? [])
    .filter((b) => b.active && !b.carrier)
    .map((b) => ({ title: b.name, value: b.code })),
);
const extras = computed(() =>
  row.value.extras
    .map((e) => (e === "insured" ? "cover by the insurer" : e.replaceAll("_", " ")))
    .join(", "),
);
</script>

<template>
  <section aria-label="How">
    <h2>How</h2>
    <div v-for="s in row.snags" :key="s.code + s.about" class="snag-line">
      <span class="snag" :class="s.level">{{ s.words }}</span>
      <button
        v-if="s.fix !== 'service' && s.fix !== 'none'"
        class="link"
        type="button"
        @click="emit('fix', { ...row, snags: [s] })"
      >
        {{ s.fix === "difference" ? "Decide" : "Fix" }}
      </button>
    </div>
    <DivideParcels
      v-if="dividing && editable"
      :id="row.id"
      :lines="sheet.lines"
      :parcels="sheet.parcels"
      @close="dividing = false"
      @done="
        dividing = false;
        after();
      "
    />
    <template v-else>
      <ParcelPanel
        v-for="(p, i) in sheet.parcels"
        :key="i"
        :parcel="p"
        :place="i + 1"
        :of="sheet.parcels.length"
        :lines="sheet.lines"
      />
      <button
        v-if="editable && sheet.parcels.length"
        class="quiet tall"
        type="button"
        @click="dividing = true"
      >
        Divide into parcels
      </button>
      <v-select
        v-if="editable"
        :model-value="sheet.hand.packaging"
        class="box"
        label="Box for this order"
        placeholder="By fit"
        persistent-placeholder
        clearable
        :loading="saving"
        :items="own"
        @update:model-value="emit('set', { packaging: $event })"
      />
    </template>
    <template v-if="row.service">
      <h3>Service and payer</h3>
      <p>
        <b>{{ row.service_name }}</b><template v-if="extras"> with {{ extras }}</template>
      </p>
      <OnAccount
        v-if="editable && row.carrier"
        :carrier="row.carrier"
        :account="sheet.quote?.account ?? ''"
        :bound="sheet.hand.account"
        @set="emit('set', { account: $event })"
      />
      <BillTo
        v-if="editable"
        :bill="sheet.hand.bill_to ?? null"
        carrier=""
        @set="emit('set', { bill_to: $event })"
      />
    </template>
    <form
      v-if="editable && !dividing"
      class="row-of"
      @submit.prevent="emit('set', { point: point.trim() || null })"
    >
      <v-text-field
        v-model="point"
        label="Recipient’s locker or shop, by its code"
        maxlength="40"
      />
      <button v-if="point !== (sheet.hand.point ?? '')" class="link" type="submit">Keep</button>
    </form>
    <PriceLines
      v-if="sheet.quote"
      :quote="sheet.quote"
      :parcels="sheet.parcels.length"
      :currency="currency"
    />
    <p v-if="setByHand.length" class="note">
      Set by hand: {{ setByHand.join(", ") }}.
      <button v-if="editable" class="link" type="button" @click="emit('plan')">
        Let the plan decide
      </button>
    </p>
    <p v-if="sheet.margin && may('shipper')" class="small">
      Shipping: the buyer paid {{ money(sheet.margin.paid_minor, currency) }}, it cost
      {{ money(sheet.margin.cost_minor, currency) }} so far,
      <b :class="sheet.margin.margin_minor < 0 ? 'press' : 'fine'">{{
        money(sheet.margin.margin_minor, currency)
      }}</b>
      is left.
    </p>
    <slot />
  </section>
</template>

<style scoped>
.snag-line {
  margin-bottom: 8px;
}
h3 {
  margin-top: 12px;
}
.row-of,
.box {
  margin-top: 10px;
}
.note {
  margin: 8px 0;
}
</style>
