<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, reactive, ref, watch } from "vue";
import OfferCard from "./OfferCard.vue";
import OffersRehearsal from "./OffersRehearsal.vue";
import RateTableEditor from "./RateTableEditor.vue";
import KeptBaskets from "./KeptBaskets.vue";
import ShopperView from "./ShopperView.vue";
import {
  BEGINNINGS,
  basketOfOrder,
  checkoutQuery,
  codeOf,
  nameOf,
  readTables,
  restoreCheckout,
  saveCheckout,
  triedQuery,
  type Basket,
  type Body,
  type Offer,
  type RateTable,
  type Turn,
} from "./offers";
import { amountText, country, dayAndClock, instantOf, minorOf } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DateField, ErrorNote, SelectField } from "../../../shared/ui";

/** What shoppers are offered: sentences and tables on the left, what a basket gets of them, while they are typed, on the right. */
const client = useQueryClient();
const { currency, zone, may } = useMe();
const { data, error, isPending } = useQuery(checkoutQuery);
const body = ref<Body>({ offers: [], tables: [] });
const base = ref(-1);
const copy = (kept: unknown) => JSON.parse(JSON.stringify(kept)) as Body;
/** What somebody else saves meanwhile is fetched once nothing typed here would be lost by it. */
watch(
  data,
  (found) => {
    if (!found || (base.value >= 0 && changed.value)) return;
    body.value = copy(found.body);
    base.value = found.version;
  },
  { immediate: true },
);
const changed = computed(
  () => base.value >= 0 && JSON.stringify(body.value) !== JSON.stringify(data.value?.body),
);
const editable = computed(() => may());
const open = ref("");
const tables = computed(() => Object.fromEntries(body.value.tables.map((t) => [t.code, t.name])));
const services = computed(() => data.value?.services ?? {});
const put = (offer: Offer) =>
  (body.value.offers = body.value.offers.map((o) => (o.code === offer.code ? offer : o)));
const putTable = (table: RateTable) =>
  (body.value.tables = body.value.tables.map((t) => (t.code === table.code ? table : t)));
const drop = (code: string) =>
  (body.value.offers = body.value.offers.filter((o) => o.code !== code));
const picker = ref<HTMLInputElement>();
/** Tables of a file stand beside the others, those with the same code in their place; nothing is saved by it. */
const read = useMutation({
  mutationFn: readTables,
  onSuccess: (found) => {
    const fresh = found.tables as unknown as RateTable[];
    const codes = new Set(fresh.map((t) => t.code));
    body.value.tables = [...body.value.tables.filter((t) => !codes.has(t.code)), ...fresh];
  },
});
function picked(event: Event): void {
  const input = event.target as HTMLInputElement;
  if (input.files?.[0]) read.mutate(input.files[0]);
  input.value = "";
}
function turned(code: string, turn: Turn, value: number): void {
  const offer = body.value.offers.find((o) => o.code === code);
  if (!offer) return;
  if (turn === "free") put({ ...offer, free: { ...offer.free, from_minor: value } });
  else if (turn === "percent") put({ ...offer, percent_bp: value });
  else put({ ...offer, price: { kind: "flat", minor: value } });
}
function up(place: number): void {
  const all = [...body.value.offers];
  [all[place - 1], all[place]] = [all[place]!, all[place - 1]!];
  body.value.offers = all;
}
function begin(n: number): void {
  const made = BEGINNINGS[n]!.make(
    basket.country.trim().toUpperCase(),
    Object.keys(services.value),
  );
  const taken = body.value.offers.map((o) => o.code);
  const fresh = (made.offers ?? []).map((o) => ({ ...o, code: codeOf(nameOf(o), taken) }));
  const known = new Set(body.value.tables.map((t) => t.code));
  body.value.tables.push(...(made.tables ?? []).filter((t) => !known.has(t.code)));
  body.value.offers.push(...fresh);
  open.value = fresh[0]?.code ?? "";
}
/** The basket that is tried, kept in this browser. */
const KEPT = "tidewind.checkout.basket";
const basket = reactive({
  goods: "2 × TR-02, 1 × SC-BEE",
  value: "46.70",
  country: "PT",
  postcode: "3500-108",
  ...(JSON.parse(localStorage.getItem(KEPT) ?? "{}") as object),
});
watch(basket, (now) => localStorage.setItem(KEPT, JSON.stringify(now)));
const LINE = /^\s*(?:(\d{1,4})\s*[x×]\s*)?(\S.*?)\s*$/;
const lines = computed(() =>
  basket.goods
    .split(",")
    .map((part) => LINE.exec(part))
    .filter((m): m is RegExpExecArray => m !== null)
    .map((m) => ({ sku: m[2]!, quantity: Math.max(Number(m[1] ?? 1), 1) })),
);
/** What the basket is worth is spread over its pieces; what is left of it lies on the first. */
const asked = computed<Basket | undefined>(() => {
  const worth = minorOf(basket.value, currency.value) ?? 0;
  const pieces = lines.value.reduce((n, l) => n + l.quantity, 0);
  if (!pieces || !/^[A-Za-z]{2}$/.test(basket.country.trim())) return undefined;
  const each = Math.floor(worth / pieces);
  const [first, ...rest] = lines.value.map((l) => ({ ...l, unit_price_minor: each }));
  const over = worth - each * pieces;
  const head = over
    ? [
        { ...first!, quantity: 1, unit_price_minor: each + over },
        ...(first!.quantity > 1 ? [{ ...first!, quantity: first!.quantity - 1 }] : []),
      ]
    : [first!];
  return {
    lines: [...head, ...rest],
    country: basket.country.trim().toUpperCase(),
    postcode: basket.postcode.trim(),
  } as Basket;
});
/** A basket as it was kept or ordered, put into the fields. */
function take(kept: Basket): void {
  basket.goods = kept.lines.map((l) => `${l.quantity} × ${l.sku}`).join(", ");
  const worth = kept.lines.reduce((n, l) => n + l.quantity * (l.unit_price_minor ?? 0), 0);
  basket.value = amountText(worth, currency.value);
  basket.country = kept.country;
  basket.postcode = kept.postcode ?? "";
}
const number = ref("");
const ordered = useMutation({
  mutationFn: () => basketOfOrder(number.value.trim()),
  onSuccess: (found) => {
    take(found);
    number.value = "";
  },
});
const holdsFrom = ref<string | null>(null);
const holdsAt = ref("00:00");
const HOUR = /^([01]\d|2[0-3]):[0-5]\d$/;
const KEEPS = [
  { value: 0, title: "not at all" },
  { value: 60, title: "a minute" },
  { value: 300, title: "five minutes" },
];
const trying = ref<[Body, Basket]>();
let timer: number | undefined;
watch(
  [body, asked],
  () => {
    window.clearTimeout(timer);
    timer = window.setTimeout(() => {
      if (asked.value && base.value >= 0) trying.value = [copy(body.value), asked.value];
    }, 180);
  },
  { deep: true, immediate: true },
);
const { data: tried, error: untried } = useQuery(
  computed(() => ({
    ...triedQuery(trying.value?.[0] ?? body.value, trying.value?.[1] ?? ({} as Basket)),
    enabled: !!trying.value && may("shipper"),
  })),
);
const where = computed(() =>
  `${basket.postcode} ${country(basket.country.trim().toUpperCase())}`.trim(),
);
const save = useMutation({
  mutationFn: () =>
    saveCheckout({
      body: copy(body.value) as unknown as Record<string, unknown>,
      base_version: base.value,
      note: "",
      holds_from: holdsFrom.value
        ? instantOf(holdsFrom.value, holdsAt.value || "00:00", zone.value)
        : null,
    }),
  onSuccess: (saved) => {
    base.value = saved.version;
    client.setQueryData(checkoutQuery.queryKey, saved);
    body.value = copy(saved.body);
    holdsFrom.value = null;
  },
});
const { isPending: saving } = save;
const restore = useMutation({
  mutationFn: restoreCheckout,
  onSuccess: (saved) => {
    base.value = saved.version;
    client.setQueryData(checkoutQuery.queryKey, saved);
    body.value = copy(saved.body);
  },
});
function discard(): void {
  if (data.value) body.value = copy(data.value.body);
}
</script>

<template>
  <div class="screen">
    <div class="page" tabindex="0" role="region" aria-label="Checkout">
      <div class="head">
        <h1>Checkout</h1>
        <span class="mute">What shoppers are offered, from the basket as it will be packed</span>
      </div>
      <ErrorNote :error="error ?? save.error.value ?? restore.error.value ?? read.error.value" />
      <p v-if="isPending" class="empty">Fetching the offers…</p>
      <div v-else class="halves">
        <div>
          <p v-if="!body.offers.length" class="empty panel">
            Nothing is offered yet. Begin with one of these; a basket on the right shows at once
            what a shopper would see.
          </p>
          <OfferCard
            v-for="(o, n) in body.offers"
            :key="o.code"
            :offer="o"
            :first="n === 0"
            :open="open === o.code"
            :services="services"
            :tables="tables"
            :currency="currency"
            :editable="editable"
            @change="put"
            @open="open = open === o.code ? '' : o.code"
            @higher="up(n)"
            @remove="drop(o.code)"
          />
          <p v-if="editable" class="acts">
            <span class="mute">Add:</span>
            <button
              v-for="(b, n) in BEGINNINGS"
              :key="b.name"
              type="button"
              class="chip"
              @click="begin(n)"
            >
              {{ b.name }}
            </button>
            <button type="button" class="link" @click="picker?.click()">Tables from a file</button>
            <a
              v-if="data?.body && body.tables.length"
              class="link"
              href="/api/checkout/tables/file?kind=xlsx"
              >Tables as a file</a
            >
            <input
              ref="picker"
              type="file"
              hidden
              accept=".csv,.xlsx,.ods"
              aria-label="A file of rate tables"
              @change="picked"
            />
          </p>
          <p v-for="w in read.data.value?.wrong.slice(0, 5)" :key="w" class="stop small">
            {{ w }}.
          </p>
          <RateTableEditor
            v-for="t in body.tables"
            :key="t.code"
            :table="t"
            :faults="tried?.faults[t.code] ?? []"
            :currency="currency"
            :editable="editable"
            @change="putTable"
            @remove="body.tables = body.tables.filter((one) => one.code !== t.code)"
          />
          <p v-if="editable" class="acts">
            <SelectField
              label="Stores may keep an answer"
              above
              :model-value="body.keep_s ?? 0"
              :items="KEEPS"
              @update:model-value="body = { ...body, keep_s: $event }"
            />
          </p>
          <template v-if="data && data.versions.length > 1 && editable">
            <h3>Versions</h3>
            <p v-for="v in data.versions" :key="v.id" class="small">
              Version {{ v.id }}, holds from {{ dayAndClock(v.holds_from, zone) }}
              <span class="mute">{{ v.note }}</span>
              <b v-if="v.id === data.in_force"> in force</b>
              <button v-else type="button" class="link" @click="restore.mutate(v.id)">
                Bring it back
              </button>
            </p>
          </template>
        </div>
        <aside v-if="may('shipper')" aria-label="Try a basket">
          <div class="form-grid basket">
            <v-text-field v-model="basket.goods" class="w6" label="Basket" hint="2 × SKU, SKU" />
            <v-text-field v-model="basket.value" class="w2" label="Worth" />
            <v-text-field v-model="basket.country" class="w2" label="Country" maxlength="2" />
            <v-text-field v-model="basket.postcode" class="w2" label="Postcode" />
          </div>
          <form class="form-grid basket" @submit.prevent="number.trim() && ordered.mutate()">
            <v-text-field v-model="number" class="w4" label="or an order's number" />
            <v-btn type="submit" variant="outlined" class="w2" :disabled="!number.trim()"
              >Take it</v-btn
            >
          </form>
          <ErrorNote :error="untried ?? ordered.error.value" />
          <ShopperView :tried="tried" :where="where" />
          <KeptBaskets v-if="trying" :body="trying[0]" :basket="asked" @take="take" />
          <OffersRehearsal v-if="trying" :body="trying[0]" @turn="turned" />
        </aside>
      </div>
    </div>
    <div v-if="changed" class="tray" role="region" aria-label="Changes">
      <div>
        <b>Not saved yet</b>
        <span v-if="tried?.errors.length" class="stop">{{
          tried.errors.slice(0, 2).join(" ")
        }}</span>
        <span v-else>Shoppers see it from the moment it is saved; what was before is kept.</span>
      </div>
      <span class="grow" />
      <DateField v-model="holdsFrom" class="when" label="Holds from, else at once" clearable />
      <v-text-field v-if="holdsFrom" v-model="holdsAt" class="clock" label="at" />
      <button type="button" class="link" @click="discard">Leave it as it was</button>
      <v-btn
        size="large"
        :loading="saving"
        :disabled="!!tried?.errors.length || (!!holdsFrom && !HOUR.test(holdsAt))"
        @click="save.mutate()"
      >
        Save the checkout
      </v-btn>
    </div>
  </div>
</template>

<style scoped>
.screen {
  display: flex;
  flex-direction: column;
  height: 100%;
  min-height: 0;
}
.page {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
.halves {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 380px;
  gap: 20px;
  align-items: start;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
  margin: 6px 0 0;
}
aside {
  position: sticky;
  top: 0;
}
.basket {
  margin-bottom: 12px;
}
.tray {
  display: flex;
  gap: 18px;
  align-items: center;
  padding: 10px 18px;
  background: var(--sheet);
  border-top: 1px solid var(--line);
}
.tray .when {
  max-width: 210px;
}
.tray .clock {
  max-width: 90px;
}
.tray b {
  display: block;
}
@media (max-width: 1100px) {
  .halves {
    grid-template-columns: minmax(0, 1fr) 300px;
  }
}
</style>
