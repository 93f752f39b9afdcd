<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { contactsQuery } from "../../shop";
import { createOrder, orderQuery, trialQuery } from "../queries";
import { amountText, day, kilograms, minorOf, money } from "../../../shared/format";
import { words, type Schemas } from "../../../api/client";
import AddressForm from "../../../shared/AddressForm.vue";
import { useMe } from "../../../shared/session";
import { CheckField, ErrorNote } from "../../../shared/ui";
import {
  gramsToPiece,
  lengthToMm,
  mmToLength,
  pieceToGrams,
  pieceUnit,
  sideUnit,
} from "../../../shared/units";

const client = useQueryClient();
const route = useRoute();
const router = useRouter();
const { currency } = useMe();
interface Line {
  sku: string;
  name: string;
  quantity: string;
  weight: string;
  sides: string;
  value: string;
  packed: boolean;
  contents: NonNullable<Schemas["TypedLineIn"]["contents"]>;
}
interface Draft {
  number: string;
  reference: string;
  note: string;
  home: boolean;
  address: Schemas["AddressIO"];
  lines: Line[];
  service: string;
  extras: string[];
  point: string;
}
const KEPT = "tidewind.shipment.draft";
const line = (): Line => ({
  sku: "",
  name: "",
  quantity: "1",
  weight: "",
  sides: "",
  value: "",
  packed: false,
  contents: [],
});
const blank = (): Draft => ({
  number: "",
  reference: "",
  note: "",
  home: true,
  address: {
    name: "",
    company: "",
    street: "",
    extra: "",
    city: "",
    region: "",
    postcode: "",
    country: "PT",
    phone: "",
    email: "",
  },
  lines: [line()],
  service: "",
  extras: [],
  point: "",
});
// Left half-way, it is here again.
const draft = ref<Draft>({
  ...blank(),
  ...(JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Partial<Draft>),
});
watch(draft, (now) => localStorage.setItem(KEPT, JSON.stringify(now)), { deep: true });

const { data: contacts } = useQuery(
  computed(() => contactsQuery("", Boolean(route.query.contact))),
);
watch(contacts, (all) => {
  const found = all?.find((c) => c.id === Number(route.query.contact));
  if (found) {
    draft.value.address = { ...found.address };
    draft.value.home = found.home;
  }
});
// A quote becomes a shipment with nothing typed again: what was quoted goes as it is, each parcel in its own carton.
if (typeof route.query.quote === "string") {
  const quoted = JSON.parse(route.query.quote) as Schemas["QuoteIn"] & { service: string };
  const goods = quoted.parcels.map((p) => {
    const sides = p.sides_mm.map(mmToLength).join(" × ");
    return {
      ...line(),
      name: `Parcel ${sides} ${sideUnit()}, ${kilograms(p.weight_g)}`,
      quantity: String(p.count ?? 1),
      weight: gramsToPiece(p.weight_g),
      sides,
      value: amountText(
        Math.round((quoted.value_minor ?? 0) / quoted.parcels.length),
        currency.value,
      ),
      packed: true,
      contents: quoted.contents ?? [],
    };
  });
  draft.value = {
    ...blank(),
    address: { ...quoted.to },
    home: quoted.home ?? true,
    lines: goods,
    service: quoted.service,
    extras: quoted.extras ?? [],
    point: quoted.point ?? "",
  };
  void router.replace("/orders/new");
}
const from = computed(() => Number(route.query.like ?? 0));
const { data: earlier } = useQuery(computed(() => orderQuery(from.value)));
watch(earlier, (sheet) => {
  if (!sheet) return;
  draft.value.address = { ...sheet.address };
  draft.value.home = sheet.home;
  draft.value.lines = sheet.lines.map((l) => ({
    ...line(),
    sku: l.sku,
    name: l.name,
    quantity: String(l.quantity),
    value: sheet.row.currency ? "" : amountText(l.unit_price_minor, currency.value),
  }));
});

/** What was typed, brought to the units in which it is kept; null where it is no figure. */
function figure(text: string, from: (value: number) => number): number | null {
  const plain = text.trim().replace(",", ".");
  return plain && Number.isFinite(Number(plain)) ? from(Number(plain)) : null;
}
const body = computed<Schemas["TypedOrderIn"]>(() => ({
  address: draft.value.address,
  home: draft.value.home,
  number: draft.value.number,
  reference: draft.value.reference,
  note: draft.value.note,
  promise: "",
  paid_shipping_minor: 0,
  payment: "paid",
  tags: [],
  lines: draft.value.lines
    .filter((l) => l.sku || l.name)
    .map((l) => {
      const sides = l.sides
        .split(/[x×*\s]+/i)
        .filter(Boolean)
        .map((s) => figure(s, lengthToMm));
      return {
        sku: l.sku,
        name: l.name,
        quantity: figure(l.quantity, Math.round) ?? 1,
        unit_price_minor: minorOf(l.value || "0", currency.value) ?? 0,
        weight_g: figure(l.weight, pieceToGrams),
        sides_mm:
          sides.length === 3 && sides.every(Boolean) ? (sides as [number, number, number]) : null,
        own_box: l.packed,
        contents: l.contents,
      };
    }),
  hand: {
    ...(draft.value.service ? { service: draft.value.service } : {}),
    ...(draft.value.extras.length ? { extras: draft.value.extras } : {}),
    ...(draft.value.point ? { point: draft.value.point } : {}),
  },
}));
const { data: plan, error: noPlan } = useQuery(
  computed(() =>
    trialQuery(body.value, body.value.lines.length > 0 && Boolean(draft.value.address.city)),
  ),
);
const make = useMutation({
  mutationFn: () => createOrder(body.value),
  onSuccess: async (sheet) => {
    localStorage.removeItem(KEPT);
    draft.value = blank();
    localStorage.removeItem(KEPT);
    void client.invalidateQueries({ queryKey: ["orders"] });
    await router.push(`/orders/${sheet.row.id}`);
  },
});
function forget(): void {
  draft.value = blank();
}
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>New shipment</h1>
      <span class="mute"
        >Without an order from a channel; what you type is kept until it is made</span
      ><span class="grow" /><button class="link" type="button" @click="forget">Begin again</button>
    </div>
    <ErrorNote :error="make.error.value" />
    <form class="two" @submit.prevent="make.mutate()">
      <section class="panel">
        <h2>To</h2>
        <AddressForm v-model="draft.address" v-model:home="draft.home" />
      </section>
      <section>
        <div class="panel">
          <h2>What</h2>
          <table class="plain-table" aria-label="Items">
            <thead>
              <tr>
                <th>SKU or name</th>
                <th class="right">Pieces</th>
                <th class="right">{{ pieceUnit() }} each</th>
                <th>L × W × H {{ sideUnit() }}</th>
                <th class="right">Value</th>
                <th></th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(l, i) in draft.lines" :key="i">
                <td class="what">
                  <input
                    v-model="l.sku"
                    aria-label="SKU"
                    placeholder="SKU"
                    class="sku"
                    maxlength="60"
                  />
                  <input
                    v-model="l.name"
                    aria-label="Item name"
                    placeholder="name"
                    maxlength="200"
                  />
                </td>
                <td class="right">
                  <input v-model="l.quantity" class="n" inputmode="numeric" aria-label="Pieces" />
                </td>
                <td class="right">
                  <input
                    v-model="l.weight"
                    class="n"
                    inputmode="numeric"
                    :aria-label="`Weight of one in ${pieceUnit()}`"
                  />
                </td>
                <td>
                  <input
                    v-model="l.sides"
                    class="s"
                    :aria-label="`Sides in ${sideUnit()}`"
                    placeholder="by catalogue"
                  />
                </td>
                <td class="right">
                  <input
                    v-model="l.value"
                    class="n"
                    inputmode="decimal"
                    aria-label="Value of one"
                  />
                </td>
                <td class="nowrap">
                  <CheckField v-model="l.packed" class="packed" label="packed" />
                  <button
                    class="link"
                    type="button"
                    aria-label="Remove this item"
                    @click="draft.lines.splice(i, 1)"
                  >
                    ×
                  </button>
                </td>
              </tr>
            </tbody>
          </table>
          <button class="link" type="button" @click="draft.lines.push(line())">Another item</button>
          <div class="form-grid more">
            <v-text-field
              v-model="draft.number"
              class="w3"
              label="Order number"
              placeholder="by itself"
              persistent-placeholder
              maxlength="60"
            /><v-text-field
              v-model="draft.reference"
              class="w3"
              label="Reference for reports"
              maxlength="60"
            /><v-text-field v-model="draft.note" class="w6" label="Note" maxlength="500" />
          </div>
        </div>
        <div class="panel plan" role="status">
          <h2>How it would go</h2>
          <p v-if="noPlan" class="note bad">{{ words(noPlan) }}</p>
          <template v-else-if="plan">
            <p v-if="plan.service_name">
              <b
                >{{ plan.packaging }} → {{ plan.service_name }} → {{ day(plan.arrives) }} →
                {{ money(plan.price_minor, currency) }}</b
              >
            </p>
            <p v-for="s in plan.snags" :key="s.code + s.about" class="snag" :class="s.level">
              {{ s.words }}
            </p>
          </template>
          <p v-else class="mute">
            Type where to and what: the plan and its price follow as you type.
          </p>
          <v-btn type="submit" :loading="make.isPending.value" :disabled="!body.lines.length"
            >Make the shipment{{
              plan?.price_minor ? ` · ${money(plan.price_minor, currency)}` : ""
            }}</v-btn
          >
          <span v-if="plan?.stopped" class="mute small">
            It waits among the orders with its snags, to be finished later.</span
          >
        </div>
      </section>
    </form>
  </div>
</template>

<style scoped>
.packed {
  min-width: 78px;
  margin-left: -8px;
}
.two {
  display: grid;
  grid-template-columns: minmax(360px, 5fr) minmax(0, 6fr);
  gap: 18px;
  align-items: start;
}
@media (max-width: 1100px) {
  .two {
    grid-template-columns: 1fr;
  }
}
.panel {
  padding: 12px 16px;
  margin-bottom: 12px;
}
h2 {
  margin-bottom: 8px;
}
.more {
  margin-top: 10px;
}
td input {
  font: inherit;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 3px 6px;
  width: 112px;
}
td .n {
  width: 56px;
  text-align: right;
}
td .s {
  width: 98px;
}
td .sku {
  width: 88px;
}
.nowrap {
  white-space: nowrap;
}
@media (max-width: 1400px) and (min-width: 1101px) {
  .what input,
  .what .sku {
    width: 100%;
  }
  .what .sku {
    margin-bottom: 3px;
  }
}
td .tick {
  width: auto;
}
</style>
