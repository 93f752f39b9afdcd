<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { api, need, words, type Schemas } from "../../api/client";
import { centimetres, count, country, day, dayAndClock, kilograms, money } from "../../shared/format";
import { useMe } from "../../shared/session";
import { packagingQuery } from "../setup";
import { CompareServices, compareQuery } from "../rates";
import BillTo from "./BillTo.vue";
import OnAccount from "./OnAccount.vue";
import SentAlready from "./SentAlready.vue";
import ShipmentPanel from "./ShipmentPanel.vue";
import DivideParcels from "./DivideParcels.vue";
import { historyQuery, orderQuery, type OrderRow } from "./queries";

const props = defineProps<{ id: number; place: string }>();
const emit = defineEmits<{ close: []; step: [by: number]; buy: [row: OrderRow]; fix: [row: OrderRow]; link: [row: OrderRow]; go: [id: number] }>();
const client = useQueryClient();
const { currency, zone, may, me } = useMe();
const { data: sheet, error, isPending } = useQuery(computed(() => orderQuery(props.id)));
const { data: boxes } = useQuery(packagingQuery);
const { data: compared } = useQuery(computed(() => compareQuery(sheet.value?.row.state === "open" ? props.id : 0)));

const row = computed(() => sheet.value?.row);
const editable = computed(() => row.value?.state === "open" && !row.value.buying && may("shipper"));
const point = ref("");
watch(() => sheet.value?.hand.point, (kept) => (point.value = kept ?? ""), { immediate: true });
const line = (id: number | undefined) => sheet.value?.lines.find((l) => l.id === id);
const late = computed(() => Boolean(row.value?.arrives && row.value.promise_date && row.value.arrives > row.value.promise_date));

const hand = useMutation({
  mutationFn: async (body: Schemas["HandIn"]) => need(await api.PATCH("/api/orders/{order_id}/hand", { params: { path: { order_id: props.id } }, body })),
  onSuccess: (fresh) => {
    client.setQueryData(["order", props.id], fresh);
    void client.invalidateQueries({ queryKey: ["order", props.id, "compare"] });
    void client.invalidateQueries({ queryKey: ["orders"] });
    void client.invalidateQueries({ queryKey: ["today"] });
  },
});
/** A service by itself, or with the box in which its price was looked at; a carrier's own packaging comes by itself. */
function choose(service: string, box: string): void {
  if (editable.value) hand.mutate(box && box !== "carrier" ? { service, packaging: box } : { service });
}
const ask = useMutation({
  mutationFn: async () => need(await api.POST("/api/orders/{order_id}/ask-prices", { params: { path: { order_id: props.id } } })),
  onSettled: () => client.invalidateQueries({ queryKey: ["order", props.id] }),
});
const HAND_WORDS: Record<keyof Schemas["HandOut"], string> = { packaging: "box", service: "service", extras: "extras", ship_date: "ship date", parcels: "parcels", split: "division", desk: "desk", approved: "approval", released: "taken back onto the list", point: "locker or shop", bill_to: "who is billed", account: "account" };
const setByHand = computed(() => {
  const hand = sheet.value?.hand;
  const isSet = (value: unknown) => value !== null && value !== undefined && value !== "" && value !== false && !(Array.isArray(value) && !value.length && value !== hand?.extras);
  return hand ? (Object.keys(HAND_WORDS) as (keyof Schemas["HandOut"])[]).filter((k) => isSet(hand[k])).map((k) => HAND_WORDS[k]) : [];
});
const showHistory = ref(false);
const { data: past } = useQuery(computed(() => ({ ...historyQuery(props.id), enabled: showHistory.value })));
const dividing = ref(false);
const telling = ref(false);
const naming = ref("");
function refresh(): void {
  for (const key of ["orders", "order", "today"]) void client.invalidateQueries({ queryKey: [key] });
}
const undo = useMutation({ mutationFn: async () => need(await api.POST("/api/orders/{order_id}/undo", { params: { path: { order_id: props.id } } })), onSuccess: refresh });
const join = useMutation({
  mutationFn: async () => need(await api.POST("/api/orders/join", { body: { order_ids: [props.id, ...sheet.value!.same_person.map((o) => o.id)] } })),
  onSuccess: (fresh) => { refresh(); emit("go", fresh.row.id); },
});
const recipe = useMutation({
  mutationFn: async () => need(await api.POST("/api/recipes/from-order", { body: { order_id: props.id, name: naming.value } })),
  onSuccess: () => { naming.value = ""; void client.invalidateQueries({ queryKey: ["recipes"] }); },
});
const takeOver = useMutation({
  mutationFn: async () => need(await api.POST("/api/presence", { body: { order_ids: [props.id], take_over: true } })),
  onSuccess: () => client.invalidateQueries({ queryKey: ["order", props.id] }),
});
const keepContact = useMutation({
  mutationFn: async () => need(await api.POST("/api/contacts", { body: { code: "", home: sheet.value!.home, address: sheet.value!.address } })),
  onSuccess: () => client.invalidateQueries({ queryKey: ["contacts"] }),
});
const failure = computed(() => keepContact.error.value ?? hand.error.value ?? undo.error.value ?? join.error.value ?? recipe.error.value);
const extrasOn = computed(() => row.value?.extras ?? []);
function toggleExtra(code: string): void {
  const next = extrasOn.value.includes(code) ? extrasOn.value.filter((e) => e !== code) : [...extrasOn.value, code];
  hand.mutate({ extras: next });
}
</script>

<template>
  <div class="sheet" role="region" aria-label="Order">
    <p v-if="error" class="note bad" role="alert">{{ words(error) }}</p>
    <p v-else-if="isPending" class="empty">Fetching the order and asking every service for its price…</p>
    <template v-else-if="sheet && row">
      <div class="head top">
        <button class="link" type="button" @click="emit('close')">← Orders</button>
        <h1><span class="mono number">{{ row.number }}</span> {{ row.recipient || "no name" }}<template v-if="row.city">, {{ row.city }}</template></h1>
        <span class="mute">{{ row.channel }} · {{ dayAndClock(row.ordered_at, zone) }}</span>
        <span class="grow" />
        <span class="mute small">{{ place }}</span>
        <button class="key" type="button" aria-label="Previous order" @click="emit('step', -1)">↑</button>
        <button class="key" type="button" aria-label="Next order" @click="emit('step', 1)">↓</button>
      </div>
      <div class="notes">
        <p v-if="failure" class="note bad" role="alert">{{ words(failure) }}</p>
        <p v-if="row.held_by" class="note" role="status"><b>{{ row.held_by }}</b> is working on this order just now. <button class="link" type="button" @click="takeOver.mutate()">Take it over</button></p>
        <p v-if="sheet.same_person.length" class="note" role="status">{{ count(sheet.same_person.length, "other order") }} to the same person: <template v-for="o in sheet.same_person" :key="o.id"><button class="link mono" type="button" @click="emit('go', o.id)">{{ o.number }}</button> {{ o.items }} </template> <button v-if="editable" class="link" type="button" @click="join.mutate()">Send them together</button></p>
        <p v-if="sheet.joined.length" class="note" role="status">Goes together with {{ sheet.joined.map((o) => o.number).join(", ") }}.</p>
      </div>
      <div class="columns">
        <section aria-label="What, and to whom">
          <h2>What, and to whom</h2>
          <h3>Promise</h3>
          <p><b>{{ row.promise_date ? `By ${day(row.promise_date)}` : "No date" }}</b><template v-if="row.promise">, “{{ row.promise }}”</template>, paid {{ money(row.paid_shipping_minor, currency) }}
            <button v-if="row.promise && !row.promise_linked && may('shipper')" class="link" type="button" @click="emit('link', row)">Not linked yet: link it</button></p>
          <h3>To</h3>
          <address>
            <template v-for="part in [sheet.address.name, sheet.address.company, sheet.address.street, sheet.address.extra, `${sheet.address.postcode} ${sheet.address.city}`, sheet.address.region, country(sheet.address.country)]" :key="part"><span v-if="part.trim()">{{ part }}<br /></span></template>
            <span class="mute">{{ sheet.home ? "home" : "business" }}<template v-if="sheet.address.phone"> · {{ sheet.address.phone }}</template></span>
          </address>
          <p v-if="sheet.latin" class="mute small">In Latin letters, for carriers that print no others: {{ [sheet.latin.name, sheet.latin.street, sheet.latin.city].filter(Boolean).join(", ") }}</p>
          <button v-if="editable || (row.state === 'open' && may('care'))" class="quiet tall" type="button" @click="emit('fix', { ...row, snags: [{ code: 'address', level: 'warns', words: 'Change where it goes', fix: 'address', about: '' }] })">Change the address</button>
          <button v-if="may('shipper', 'care') && !keepContact.data.value" class="quiet tall contact" type="button" @click="keepContact.mutate()">Keep in the address book</button><span v-if="keepContact.data.value" class="fine small contact">in the address book</span>
          <h3>Items</h3>
          <table class="plain-table items">
            <tbody>
              <tr v-for="l in sheet.lines" :key="l.id"><td class="right"><b>{{ l.quantity - l.sent }}</b><span v-if="l.sent" class="small mute"> of {{ l.quantity }}</span></td><td>{{ l.name }}<br /><span class="mono mute small">{{ l.sku }}</span></td><td class="right">{{ money(l.unit_price_minor * l.quantity, currency) }}</td></tr>
            </tbody>
          </table>
          <SentAlready v-if="telling && editable" :id="id" :lines="sheet.lines" @close="telling = false" @done="telling = false; refresh()" />
          <button v-else-if="editable" class="quiet tall" type="button" @click="telling = true">Some were sent already</button>
          <p v-if="row.tags.length || row.desk" class="small">{{ row.desk ? `Desk: ${row.desk}. ` : "" }}{{ row.tags.length ? `Tags: ${row.tags.join(", ")}` : "" }}</p>
          <p v-if="row.payment !== 'paid'" class="press">{{ row.payment === "pay_on_delivery" ? "Pay on delivery" : "Unpaid" }}</p>
          <template v-if="sheet.note"><h3>Note from the buyer</h3><p>{{ sheet.note }}</p></template>
        </section>
        <section aria-label="How">
          <h2>How</h2>
          <div v-for="s in row.snags" :key="s.code + s.about" class="snag-line">
            <span class="snag" :class="s.level">{{ s.words }}</span>
            <button v-if="s.fix !== 'service' && s.fix !== 'none'" class="link" type="button" @click="emit('fix', { ...row, snags: [s] })">Fix</button>
          </div>
          <div v-for="(p, i) in dividing ? [] : sheet.parcels" :key="i" class="parcel">
            <div class="between"><b>Parcel {{ i + 1 }} of {{ sheet.parcels.length }}</b><span>{{ p.name }}</span></div>
            <div class="mute small">{{ centimetres(p.sides_mm) }} · fills {{ p.fill_percent }} %<template v-if="sheet.parcels.length > 1"> · {{ p.contents.map(([l, n]) => `${n} × ${line(l)?.name}`).join(", ") }}</template></div>
            <div class="parts" aria-hidden="true"><i class="goods" :style="{ flex: p.goods_g }" /><i class="own" :style="{ flex: p.packaging_g }" /><i class="pad" :style="{ flex: p.padding_g }" /></div>
            <div class="small">goods {{ kilograms(p.goods_g) }} + packaging {{ kilograms(p.packaging_g) }} + padding {{ kilograms(p.padding_g) }} = <b>{{ kilograms(p.gross_g) }} gross</b></div>
          </div>
          <DivideParcels v-if="dividing && editable" :id="id" :lines="sheet.lines" :parcels="sheet.parcels" @close="dividing = false" @done="dividing = false; refresh()" />
          <template v-if="editable && !dividing">
            <button class="quiet" type="button" @click="dividing = true">Divide into parcels</button>
            <h3>Box for this order</h3>
            <v-select
              :model-value="sheet.hand.packaging" aria-label="Box for this order" placeholder="By fit" persistent-placeholder clearable :loading="hand.isPending.value"
              :items="(boxes ?? []).filter((b) => b.active && !b.carrier).map((b) => ({ title: b.name, value: b.code }))" @update:model-value="hand.mutate({ packaging: $event })"
            />
            <form class="row-of locker" @submit.prevent="hand.mutate({ point: point.trim() || null })"><input v-model="point" aria-label="Locker or shop code" placeholder="Recipient's locker or shop: code" maxlength="40" /><button v-if="point !== (sheet.hand.point ?? '')" class="link" type="submit">Keep</button></form>
          </template>
          <template v-if="sheet.quote">
            <h3>Price</h3>
            <table class="plain-table sum">
              <tbody>
                <tr v-for="(l, i) in sheet.quote.lines" :key="i"><td>{{ l.name }}<template v-if="sheet.parcels.length > 1 && l.parcel">, parcel {{ l.parcel }}</template> <span class="mute small">{{ l.basis }}</span></td><td class="right">{{ money(l.amount_minor, currency) }}</td></tr>
                <tr class="total"><td><b>Price</b> <span class="mute small">without VAT</span></td><td class="right"><b>{{ money(sheet.quote.net_minor, currency) }}</b></td></tr>
                <tr><td class="mute">VAT, on the carrier's invoice</td><td class="right mute">{{ money(sheet.quote.tax_minor, currency) }}</td></tr>
                <tr v-if="sheet.quote.published_net_minor !== null && sheet.quote.published_net_minor !== sheet.quote.net_minor"><td class="mute">Published price</td><td class="right mute">{{ money(sheet.quote.published_net_minor, currency) }}</td></tr>
              </tbody>
            </table>
          </template>
          <OnAccount v-if="editable && row.carrier" :carrier="row.carrier" :account="sheet.quote?.account ?? ''" :bound="sheet.hand.account" @set="hand.mutate({ account: $event })" />
          <BillTo v-if="editable && row.service" :bill="sheet.hand.bill_to ?? null" carrier="" @set="hand.mutate({ bill_to: $event })" />
          <a v-if="row.service && row.state === 'open' && may('shipper', 'packer')" class="link small" :href="`/api/orders/${row.id}/test-label.pdf`" target="_blank">Test label, costs nothing</a>
          <p v-if="setByHand.length" class="note">Set by hand: {{ setByHand.join(", ") }}.
            <button v-if="editable" class="link" type="button" @click="hand.mutate({ packaging: null, service: null, extras: null, ship_date: null, parcels: null, split: null, desk: null, account: null })">Let the plan decide</button></p>
          <p v-if="editable" class="row-of">
            <button v-if="sheet.can_undo" class="link" type="button" @click="undo.mutate()">Undo: {{ sheet.can_undo }}</button>
            <button class="quiet tall" type="button" :aria-expanded="showHistory" @click="showHistory = !showHistory">History</button>
            <RouterLink v-if="may('shipper')" class="quiet tall" :to="`/orders/new?like=${row.id}`">A shipment like this</RouterLink>
          </p>
          <ul v-if="showHistory" class="history"><li v-for="h in past ?? []" :key="h.id"><span class="mute">{{ dayAndClock(h.at, zone) }}</span> {{ h.who }}: {{ h.what }}</li><li v-if="past && !past.length" class="mute">Nothing was changed by hand.</li></ul>
          <form v-if="may('shipper') && row.service" class="row-of" @submit.prevent="recipe.mutate()"><input v-model="naming" aria-label="Name of the recipe" placeholder="Keep this as a recipe: name" maxlength="80" required /><button class="link" type="submit">Keep</button><span v-if="recipe.data.value" class="fine small">kept</span></form>
        </section>
        <section aria-label="Price against arrival">
          <template v-if="row.state === 'open'">
            <h2>Price against arrival</h2>
            <CompareServices v-if="compared?.services.length" :compared="compared" :currency="currency" :editable="editable" :asking="ask.isPending.value" :failures="ask.data.value?.failures ?? {}" @choose="choose" @extra="toggleExtra" @ask="ask.mutate()" />
            <p v-else-if="compared" class="mute">No service can be asked yet: {{ row.snags.map((s) => s.words.charAt(0).toLowerCase() + s.words.slice(1)).join("; ") || "there is nothing to send" }}. Fix it and every service stands here with its price and day.</p>
            <p v-else class="mute">Asking every service for its price…</p>
          </template>
          <ShipmentPanel v-for="s in sheet.shipments" :key="s.id" :shipment="s" :email="sheet.address.email ?? ''" />
          <p v-if="sheet.margin" class="small">Shipping: the buyer paid {{ money(sheet.margin.paid_minor, currency) }}, it cost {{ money(sheet.margin.cost_minor, currency) }} so far, <b :class="sheet.margin.margin_minor < 0 ? 'stop' : 'fine'">{{ money(sheet.margin.margin_minor, currency) }}</b> is left.</p>
          <a v-if="me?.standins_url && sheet.shipments.length" class="link" :href="`${me.standins_url}/mail`" target="_blank" rel="noopener">Mails</a>
          <template v-if="sheet.events.length">
            <h3>On its way</h3>
            <p v-for="e in sheet.events" :key="e.at + e.state"><span class="mute">{{ dayAndClock(e.at, zone) }}</span> {{ e.words }}</p>
          </template>
        </section>
      </div>
      <div class="tray">
        <div><b>{{ money(row.price_minor, currency) }}</b><span>buyer paid {{ money(row.paid_shipping_minor, currency) }}</span></div>
        <div v-if="row.arrives"><b :class="late ? 'stop' : 'fine'">{{ day(row.arrives) }}</b><span>{{ row.promise_date ? (late ? "after the promise" : "within the promise") : "no promised date" }}</span></div>
        <div v-else-if="row.snags.length"><b class="stop">{{ count(row.snags.length, "snag") }}</b><span>to fix before it has a price</span></div>
        <span class="grow" />
        <span v-if="row.state !== 'open'" class="mute">{{ row.state.replace("_", " ") }}{{ row.state_why ? `: ${row.state_why}` : "" }}</span>
        <v-btn v-if="editable && row.price_minor !== null" @click="emit('buy', row)">Buy {{ count(row.parcel_count, "label") }} · {{ money(row.price_minor, currency) }}</v-btn>
      </div>
    </template>
  </div>
</template>

<style scoped>
.sheet { display: grid; grid-template-rows: auto auto minmax(0, 1fr) auto; height: 100%; }
.top { padding: 12px 18px 4px; } .number { font-size: 17px; }
.columns { grid-row: 3; display: grid; grid-template-columns: 25fr 33fr 42fr; background: var(--sheet); border: 1px solid var(--line); margin: 4px 18px 12px; overflow: hidden; min-height: 0; }
.columns > section { padding: 14px 18px; border-left: 1px solid var(--line); overflow: auto; min-width: 0; }
.columns > section:first-child { border: 0; }
h2 { margin: 0 0 8px; } section h2:not(:first-child) { margin-top: 16px; }
h3 { font-size: 11.5px; font-weight: 500; color: var(--mute); margin: 12px 0 2px; }
p { margin: 2px 0 6px; } address { font-style: normal; }
.items td { padding: 3px 4px; } .between { display: flex; justify-content: space-between; gap: 8px; }
.parcel { border: 1px solid var(--line); background: var(--paper); padding: 9px 12px; margin-bottom: 8px; }
.parts { display: flex; height: 6px; gap: 1px; margin: 6px 0 4px; } .parts i { display: block; }
.goods { background: var(--mul); } .own { background: var(--mul); opacity: 0.55; } .pad { background: var(--mul); opacity: 0.25; }
.sum td { border: 0; padding: 2px 0; } .sum td.right { white-space: nowrap; padding-left: 8px; } .sum .total td { border-top: 1px solid var(--line); padding-top: 5px; }
.snag-line { margin-bottom: 8px; } .locker { margin-top: 8px; }
.tray { grid-row: 4; border-top: 1px solid var(--line); background: var(--sheet); min-height: 58px; display: flex; align-items: center; gap: 26px; padding: 6px 18px; }
.tray b { display: block; font-size: 15px; } .tray div span { font-size: 11px; color: var(--mute); }
.note { margin: 8px 0; } .notes { padding: 0 18px; } .notes .note { margin: 4px 0; }
.row-of { display: flex; gap: 10px; align-items: baseline; flex-wrap: wrap; } .row-of input { font: inherit; font-size: 12.5px; color: var(--ink); background: var(--sheet); border: 1px solid var(--line); border-radius: 3px; padding: 3px 6px; width: 210px; }
.contact { margin-left: 12px; } .tall { min-height: 24px; display: inline-block; }
.history { list-style: none; margin: 4px 0; padding: 0; font-size: 12px; }
</style>
