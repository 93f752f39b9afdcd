<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, toRef } from "vue";
import { count, day, dayAndClock, money } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { CustomsPanel } from "../../customs";
import { ErrorNote } from "../../../shared/ui";
import { joinOrders, orderQuery, takeOver, useAfterOrders, type OrderRow } from "../queries";
import HowItGoes from "./HowItGoes.vue";
import PriceAndLabels from "./PriceAndLabels.vue";
import SheetActions from "./SheetActions.vue";
import { useHandEdit } from "./useHandEdit";
import WhatAndToWhom from "./WhatAndToWhom.vue";

const props = defineProps<{ id: number; place: string }>();
const emit = defineEmits<{
  close: [];
  step: [by: number];
  buy: [row: OrderRow];
  fix: [row: OrderRow];
  link: [row: OrderRow];
  go: [id: number];
}>();
const client = useQueryClient();
const after = useAfterOrders();
const { currency, zone, may } = useMe();
const { data: sheet, error, isPending } = useQuery(computed(() => orderQuery(props.id)));
const { hand, undo, setByHand, toggleExtra, letPlanDecide } = useHandEdit(
  toRef(props, "id"),
  sheet,
);

const row = computed(() => sheet.value?.row);
const editable = computed(() => row.value?.state === "open" && !row.value.buying && may("shipper"));
const late = computed(() =>
  Boolean(
    row.value?.arrives && row.value.promise_date && row.value.arrives > row.value.promise_date,
  ),
);
const join = useMutation({
  mutationFn: () => joinOrders([props.id, ...sheet.value!.same_person.map((o) => o.id)]),
  onSuccess: (fresh) => {
    after();
    emit("go", fresh.row.id);
  },
});
const taking = useMutation({
  mutationFn: () => takeOver(props.id),
  onSuccess: () => client.invalidateQueries({ queryKey: orderQuery(props.id).queryKey }),
});
const failure = computed(
  () => hand.error.value ?? undo.error.value ?? join.error.value ?? taking.error.value,
);
</script>

<template>
  <div class="sheet" role="region" aria-label="Order">
    <ErrorNote v-if="error" :error="error" />
    <p v-else-if="isPending" class="empty">
      Fetching the order and asking every service for its price…
    </p>
    <template v-else-if="sheet && row">
      <div class="head top">
        <button class="link" type="button" @click="emit('close')">← Orders</button>
        <h1>
          <span class="mono number">{{ row.number }}</span> {{ row.recipient || "no name"
          }}<template v-if="row.city">, {{ row.city }}</template>
        </h1>
        <span class="mute">{{ row.channel }} · {{ dayAndClock(row.ordered_at, zone) }}</span>
        <span class="grow" />
        <span class="mute small">{{ place }}</span>
        <button class="key" type="button" aria-label="Previous order" @click="emit('step', -1)">
          ↑
        </button>
        <button class="key" type="button" aria-label="Next order" @click="emit('step', 1)">
          ↓
        </button>
      </div>
      <div class="notes">
        <ErrorNote :error="failure" />
        <p v-if="row.held_by" class="note" role="status">
          <b>{{ row.held_by }}</b> is working on this order just now.
          <button class="link" type="button" @click="taking.mutate()">Take it over</button>
        </p>
        <p v-if="sheet.same_person.length" class="note" role="status">
          {{ count(sheet.same_person.length, "other order") }} to the same person:
          <template v-for="o in sheet.same_person" :key="o.id"
            ><button class="link mono" type="button" @click="emit('go', o.id)">
              {{ o.number }}
            </button>
            {{ o.items }}
          </template>
          <button v-if="editable" class="link" type="button" @click="join.mutate()">
            Send them together
          </button>
        </p>
        <p v-if="sheet.joined.length" class="note" role="status">
          Goes together with {{ sheet.joined.map((o) => o.number).join(", ") }}.
        </p>
      </div>
      <div class="columns">
        <WhatAndToWhom
          :sheet="sheet"
          :editable="editable"
          @fix="emit('fix', $event)"
          @link="emit('link', $event)"
        />
        <HowItGoes
          :key="id"
          :sheet="sheet"
          :editable="editable"
          :saving="hand.isPending.value"
          :set-by-hand="setByHand"
          @fix="emit('fix', $event)"
          @set="hand.mutate($event)"
          @plan="letPlanDecide"
        >
          <SheetActions
            :sheet="sheet"
            :editable="editable"
            @undo="undo.mutate()"
            @tender="hand.mutate({ not_stackable: $event || null })"
          />
          <CustomsPanel :order-id="id" :editable="editable" />
        </HowItGoes>
        <PriceAndLabels
          :sheet="sheet"
          :editable="editable"
          @set="hand.mutate($event)"
          @extra="toggleExtra"
        />
      </div>
      <div class="tray">
        <div>
          <b>{{ money(row.price_minor, currency) }}</b><span
            >buyer paid {{ money(row.paid_shipping_minor, row.currency || currency) }}</span
          >
        </div>
        <div v-if="row.arrives">
          <b :class="late ? 'press' : 'fine'">{{ day(row.arrives) }}</b><span>{{
            row.promise_date
              ? late
                ? "after the promise"
                : "within the promise"
              : "no promised date"
          }}</span>
        </div>
        <div v-else-if="row.snags.length">
          <b class="stop">{{ count(row.snags.length, "snag") }}</b><span
            >to fix before it has a price</span
          >
        </div>
        <span class="grow" />
        <span v-if="row.state !== 'open'" class="mute"
          >{{ row.state.replace("_", " ") }}{{ row.state_why ? `: ${row.state_why}` : "" }}</span
        >
        <v-btn v-if="editable && row.price_minor !== null" @click="emit('buy', row)"
          >Buy {{ count(row.parcel_count, "label") }} ·
          {{ money(row.price_minor, currency) }}</v-btn
        >
      </div>
    </template>
  </div>
</template>

<style scoped>
.sheet {
  display: grid;
  grid-template-rows: auto auto minmax(0, 1fr) auto;
  height: 100%;
}
.top {
  padding: 12px 18px 4px;
}
.number {
  font-size: 17px;
}
.columns {
  grid-row: 3;
  display: grid;
  grid-template-columns: 25fr 33fr 42fr;
  background: var(--sheet);
  border: 1px solid var(--line);
  margin: 4px 18px 12px;
  overflow: hidden;
  min-height: 0;
}
.tray {
  grid-row: 4;
  border-top: 1px solid var(--line);
  background: var(--sheet);
  min-height: 58px;
  display: flex;
  align-items: center;
  gap: 26px;
  padding: 6px 18px;
}
.tray b {
  display: block;
  font-size: 15px;
}
.tray div span {
  font-size: 11px;
  color: var(--mute);
}
.note {
  margin: 8px 0;
}
.notes {
  padding: 0 18px;
}
.notes .note {
  margin: 4px 0;
}
.columns > :deep(section) {
  padding: 14px 18px;
  border-left: 1px solid var(--line);
  overflow: auto;
  min-width: 0;
}
.columns > :deep(section:first-child) {
  border: 0;
}
.columns :deep(h2) {
  margin: 0 0 8px;
}
.columns :deep(h2:not(:first-child)) {
  margin-top: 16px;
}
.columns :deep(h3) {
  font-size: 11.5px;
  font-weight: 500;
  color: var(--mute);
  margin: 12px 0 2px;
}
.columns :deep(p) {
  margin: 2px 0 6px;
}
.columns :deep(.row-of) {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
.columns :deep(.tall) {
  min-height: 24px;
  display: inline-block;
}
</style>
