<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, nextTick, ref, shallowRef, toRaw, watch } from "vue";
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
  isSame,
  nameOf,
  readTables,
  restoreCheckout,
  saveCheckout,
  triedQuery,
  type Basket,
  type Body,
  type Known,
  type Offer,
  type RateTable,
  type Turn,
} from "./offers";
import { useBasket } from "./basket";
import { country, dayAndClock, instantOf } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DateField, ErrorNote, SelectField } from "../../../shared/ui";

/** What shoppers are offered: sentences and tables on the left, what a basket gets of them, while they are typed, on the right. */
const client = useQueryClient();
const { currency, zone, may } = useMe();
const { data, error, isPending } = useQuery(checkoutQuery);
/** Never changed in place: what is not touched stays the same object, so that a table of 5,000 rows is edited without lag. */
const body = shallowRef<Body>({ offers: [], tables: [] });
const kept = shallowRef(body.value);
const base = ref(-1);
function start(found: { body: unknown; version: number }): void {
  body.value = kept.value = toRaw(found.body) as Body;
  base.value = found.version;
}
/** What somebody else saves meanwhile is fetched once nothing typed here would be lost by it. */
watch(
  data,
  (found) => {
    if (!found || (base.value >= 0 && changed.value)) return;
    start(found);
  },
  { immediate: true },
);
const changed = computed(() => base.value >= 0 && !isSame(body.value, kept.value));
const set = (part: Partial<Body>) => (body.value = { ...body.value, ...part });
function setVat(text: string): void {
  const percent = Number(text.replace(",", ".").trim());
  if (Number.isFinite(percent)) set({ vat_bp: Math.round(percent * 100) });
}
const editable = computed(() => may());
const open = ref("");
const known = computed<Known>(() => ({
  services: data.value?.services ?? {},
  tables: Object.fromEntries(body.value.tables.map((t) => [t.code, t.name])),
  channels: data.value?.channels ?? {},
  places: data.value?.places ?? [],
  currency: currency.value,
}));
const put = (offer: Offer) =>
  set({ offers: body.value.offers.map((o) => (o.code === offer.code ? offer : o)) });
const putTable = (table: RateTable) =>
  set({ tables: body.value.tables.map((t) => (t.code === table.code ? table : t)) });
const drop = (code: string) => set({ offers: body.value.offers.filter((o) => o.code !== code) });
const picker = ref<HTMLInputElement>();
/** Tables of a file stand beside the others, those with the same code in their place; nothing is saved by it. */
const read = useMutation({
  mutationFn: readTables,
  onSuccess: (found) => {
    const fresh = found.tables as unknown as RateTable[];
    const codes = new Set(fresh.map((t) => t.code));
    set({ tables: [...body.value.tables.filter((t) => !codes.has(t.code)), ...fresh] });
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
  set({ offers: all });
}
function begin(n: number): void {
  const made = BEGINNINGS[n]!.make(
    basket.country.trim().toUpperCase(),
    Object.keys(known.value.services),
  );
  const taken = body.value.offers.map((o) => o.code);
  const fresh = (made.offers ?? []).map((o) => ({ ...o, code: codeOf(nameOf(o), taken) }));
  const tables = (made.tables ?? []).filter((t) => !known.value.tables[t.code]);
  set({ tables: [...body.value.tables, ...tables], offers: [...body.value.offers, ...fresh] });
  open.value = fresh[0]?.code ?? "";
  // The next thing is its price: the cursor stands on what can be changed in its sentence.
  void nextTick(() =>
    document.querySelector<HTMLElement>(".offer.chosen .sentence button")?.focus(),
  );
}
const { basket, asked, take } = useBasket(currency);
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
const trying = shallowRef<[Body, Basket]>();
let timer: number | undefined;
watch(
  [body, asked],
  () => {
    window.clearTimeout(timer);
    timer = window.setTimeout(() => {
      if (asked.value && base.value >= 0) trying.value = [body.value, asked.value];
    }, 180);
  },
  { immediate: true },
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
      body: { ...body.value },
      base_version: base.value,
      note: "",
      holds_from: holdsFrom.value
        ? instantOf(holdsFrom.value, holdsAt.value || "00:00", zone.value)
        : null,
    }),
  onSuccess: (saved) => {
    start(saved);
    client.setQueryData(checkoutQuery.queryKey, saved);
    holdsFrom.value = null;
  },
});
const { isPending: saving } = save;
const restore = useMutation({
  mutationFn: restoreCheckout,
  onSuccess: (saved) => {
    start(saved);
    client.setQueryData(checkoutQuery.queryKey, saved);
  },
});
function discard(): void {
  body.value = kept.value;
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
            :known="known"
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
            @remove="set({ tables: body.tables.filter((one) => one.code !== t.code) })"
          />
          <p v-if="editable" class="acts">
            <SelectField
              label="Stores may keep an answer"
              class="kept"
              above
              :model-value="body.keep_s ?? 0"
              :items="KEEPS"
              @update:model-value="set({ keep_s: $event })"
            />
            <v-text-field
              label="VAT in these prices"
              class="kept"
              suffix="%"
              inputmode="decimal"
              hint="0 if you sell without VAT. Exports are sold without it."
              persistent-hint
              density="compact"
              :model-value="String((body.vat_bp ?? 0) / 100)"
              @change="setVat($event.target.value)"
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
          <ShopperView :tried="tried" :where="where" :vat-bp="body.vat_bp ?? 0" />
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
.kept {
  flex: none;
  align-self: flex-start;
  width: 230px;
  margin-top: 10px;
}
aside {
  position: sticky;
  top: 0;
}
.basket {
  margin-bottom: 12px;
}
.tray .when {
  max-width: 210px;
}
.tray .clock {
  max-width: 90px;
}
@media (max-width: 1100px) {
  .halves {
    grid-template-columns: minmax(0, 1fr) 350px;
  }
}
</style>
