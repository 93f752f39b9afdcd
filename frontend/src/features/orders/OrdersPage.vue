<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, nextTick, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, need, words } from "../../api/client";
import { clock, count, day, localDay, money, timeLeft } from "../../shared/format";
import { useKeys } from "../../shared/keyboard";
import { useSelection } from "../../shared/selection";
import { now, useMe } from "../../shared/session";
import { todayQuery } from "../today";
import BuyDialog from "./BuyDialog.vue";
import OrderSheet from "./OrderSheet.vue";
import { ordersQuery, type OrderRow } from "./queries";
import SnagFix from "./SnagFix.vue";
import WhyDialog from "./WhyDialog.vue";

const route = useRoute();
const router = useRouter();
const client = useQueryClient();
const { zone, currency, may } = useMe();
const selection = useSelection();

const VIEWS = [["open", "Open"], ["clear", "Clear"], ["snags", "Snags"], ["held", "Held or left out"], ["shipped", "Shipped"], ["all", "All"]] as const;
const view = ref(typeof route.query.view === "string" ? route.query.view : "open");
const text = ref("");
const search = ref("");
const at = ref(0);
const list = ref<HTMLElement>();
const searchField = ref<HTMLInputElement>();
const buyOpen = ref(false);
const toBuy = ref<OrderRow[]>([]);
const fixing = ref<OrderRow>();
const asking = ref<OrderRow>();
const notice = ref("");

let timer: number | undefined;
watch(text, (value) => {
  window.clearTimeout(timer);
  timer = window.setTimeout(() => (search.value = value.trim()), 200);
});
const { data: page, error, isPending } = useQuery(computed(() => ordersQuery(view.value, search.value)));
const { data: today } = useQuery(todayQuery);
watch(page, (fresh) => fresh && selection.refresh(fresh.orders));

/** Waiting orders stand under the departure they can catch; what has no price stands first. */
const groups = computed(() => {
  const found = new Map<string, { key: string; title: string; cut: string; pressing: boolean; rows: OrderRow[] }>();
  for (const row of page.value?.orders ?? []) {
    const departure = today.value?.departures.find((d) => d.carrier === row.carrier && d.network === row.network && d.day === row.ship_date);
    let key = "0", title = "Needs a decision", cut = "";
    if (row.state !== "open") [key, title] = [`9${row.state}`, stateWords(row.state)];
    else if (row.buying) [key, title] = ["8", "Being bought"];
    else if (departure) [key, title, cut] = [`1${departure.cutoff_at}${departure.name}`, `${departure.name} · ${clock(departure.cutoff_at, zone.value)}`, departure.cutoff_at];
    else if (row.ship_date) [key, title] = [`2${row.ship_date}${row.network}`, `${day(row.ship_date)} · ${networkName(row)}`];
    const group = found.get(key) ?? { key, title, cut, pressing: Boolean(cut) && new Date(cut).getTime() - now.value.getTime() < 75 * 60_000, rows: [] };
    group.rows.push(row);
    found.set(key, group);
  }
  return [...found.values()].sort((a, b) => a.key.localeCompare(b.key));
});
const rows = computed(() => groups.value.flatMap((g) => g.rows));
const index = computed(() => new Map(rows.value.map((row, i) => [row.id, i])));
const current = computed(() => rows.value[Math.min(at.value, rows.value.length - 1)]);
const openId = computed(() => Number(route.params.id ?? 0));

function stateWords(state: string): string {
  return { held: "Held", left_out: "Left out", cancelled: "Cancelled", shipped: "Shipped", part_shipped: "Shipped in part" }[state] ?? state;
}
function networkName(row: OrderRow): string {
  return today.value?.departures.find((d) => d.carrier === row.carrier && d.network === row.network)?.name ?? row.service_name ?? "";
}
function groupTotal(group: { rows: OrderRow[] }): string {
  const sum = group.rows.reduce((n, r) => n + (r.price_minor ?? 0), 0);
  return sum ? money(sum, currency.value) : "";
}
function late(row: OrderRow): boolean {
  return Boolean(row.arrives && row.promise_date && row.arrives > row.promise_date);
}
function age(row: OrderRow): string {
  const date = localDay(new Date(row.ordered_at), zone.value);
  return date === localDay(now.value, zone.value) ? clock(row.ordered_at, zone.value) : day(date);
}

async function move(by: number, select = false): Promise<void> {
  const before = current.value;
  at.value = Math.max(0, Math.min(rows.value.length - 1, at.value + by));
  if (select && before && current.value) {
    selection.set(before, true);
    selection.set(current.value, true);
  }
  await nextTick();
  const row = list.value?.querySelector<HTMLElement>("[data-current=true]");
  row?.scrollIntoView({ block: "nearest" });
  if (openId.value && current.value) await open(current.value);
}
let anchor = 0;
function pick(row: OrderRow, event: MouseEvent): void {
  const here = index.value.get(row.id) ?? 0;
  if (event.shiftKey) {
    const [from, to] = [Math.min(anchor, here), Math.max(anchor, here)];
    for (const r of rows.value.slice(from, to + 1)) selection.set(r, true);
  } else {
    selection.set(row, !selection.chosen.has(row.id));
    anchor = here;
  }
  at.value = here;
}
function pickGroup(group: { rows: OrderRow[] }): void {
  const all = group.rows.every((r) => selection.chosen.has(r.id));
  for (const r of group.rows) selection.set(r, !all);
}
async function open(row: OrderRow): Promise<void> {
  at.value = index.value.get(row.id) ?? at.value;
  await router.push({ path: `/orders/${row.id}`, query: route.query });
}
function close(): void {
  void router.push({ path: "/orders" });
}
function buy(): void {
  if (!may("shipper")) return;
  const wanted = selection.buyable.length ? selection.buyable : current.value && current.value.price_minor !== null && current.value.state === "open" ? [current.value] : [];
  if (!wanted.length) {
    notice.value = "Nothing selected can be bought: choose orders that have a price.";
    return;
  }
  buyRows(wanted);
}
function buyRows(wanted: OrderRow[]): void {
  toBuy.value = [...wanted];
  buyOpen.value = true;
}
const hold = useMutation({
  mutationFn: async (wanted: OrderRow[]) =>
    need(await api.POST("/api/orders/held", { body: { order_ids: wanted.map((r) => r.id), held: !wanted.every((r) => r.state === "held") } })),
  onSuccess: () => client.invalidateQueries({ queryKey: ["orders"] }),
  onError: (e) => (notice.value = words(e)),
});
function holdThem(): void {
  const wanted = selection.rows.length ? selection.rows : current.value ? [current.value] : [];
  if (wanted.length && may("shipper", "care")) hold.mutate(wanted);
}
async function printThem(): Promise<void> {
  const wanted = selection.rows.length ? selection.rows : current.value ? [current.value] : [];
  const ids: number[] = [];
  for (const row of wanted.filter((r) => r.state === "shipped")) {
    const sheet = need(await api.GET("/api/orders/{order_id}", { params: { path: { order_id: row.id } } }));
    ids.push(...sheet.shipments.filter((s) => s.state === "bought").map((s) => s.id));
  }
  if (ids.length) window.open(`/api/labels.pdf?${ids.map((id) => `shipment=${id}`).join("&")}`, "_blank");
  else notice.value = "Nothing here has a label to print yet.";
}
function fix(row: OrderRow | undefined): void {
  if (row?.snags.length) fixing.value = row;
}
watch(
  [openId, rows],
  () => {
    if (openId.value) at.value = index.value.get(openId.value) ?? at.value;
    if (route.query.fix && openId.value && rows.value.length) {
      fix(rows.value.find((r) => r.id === openId.value));
      void router.replace({ path: route.path });
    }
  },
  { immediate: true },
);

useKeys({
  ArrowDown: () => void move(1),
  ArrowUp: () => void move(-1),
  "Shift+ArrowDown": () => void move(1, true),
  "Shift+ArrowUp": () => void move(-1, true),
  " ": () => current.value && selection.set(current.value, !selection.chosen.has(current.value.id)),
  Enter: () => current.value && void open(current.value),
  Escape: () => (openId.value ? close() : selection.clear()),
  a: () => rows.value.forEach((r) => selection.set(r, true)),
  b: buy,
  h: holdThem,
  p: () => void printThem(),
  s: () => fix(current.value),
  w: () => (asking.value = current.value),
  c: () => current.value && void open(current.value),
  e: () => current.value && (fixing.value = { ...current.value, snags: [{ code: "address", level: "warns", words: "Change where it goes", fix: "address", about: "" }] }),
  "/": () => searchField.value?.focus(),
});
</script>

<template>
  <div class="orders">
    <div class="head bar">
      <h1>Orders</h1>
      <span class="mute">{{ page ? `${page.counts.open} open, ${page.counts.clear} clear` : "" }}</span>
      <span class="grow" />
      <button v-for="[key, name] in VIEWS" :key="key" type="button" class="chip" :aria-pressed="view === key" @click="view = key; at = 0">
        {{ name }} <span v-if="page">{{ page.counts[key] }}</span>
      </button>
      <input ref="searchField" v-model="text" class="search" type="search" placeholder="Search  /" aria-label="Search in the list" @keydown.esc="($event.target as HTMLInputElement).blur()" @keydown.enter="($event.target as HTMLInputElement).blur()" />
      <RouterLink v-if="may('shipper')" class="link" to="/import">Import</RouterLink>
    </div>
    <p v-if="notice" class="note bad" role="alert">{{ notice }} <button class="link" type="button" @click="notice = ''">Good</button></p>
    <p v-if="error" class="note bad" role="alert">{{ words(error) }}</p>
    <div ref="list" class="rows" tabindex="0" aria-label="Orders, arrows to move">
      <p v-if="isPending" class="empty">Fetching the orders…</p>
      <p v-else-if="!rows.length" class="empty">
        <template v-if="search">No order matches “{{ search }}” here. <button class="link" type="button" @click="text = ''">Show all</button></template>
        <template v-else>No orders in this view. They come from the web shop by themselves, or <RouterLink class="link" to="/import">import a spreadsheet</RouterLink>.</template>
      </p>
      <table v-else class="plain-table list">
        <thead>
          <tr><th class="tick"><span class="visually-hidden">Selected</span></th><th>Order</th><th>To</th><th>Items</th><th>Promise</th><th>Plan</th><th class="right">Price</th></tr>
        </thead>
        <tbody v-for="g in groups" :key="g.key">
          <tr class="group">
            <td class="tick"><input type="checkbox" :aria-label="`Select all of ${g.title}`" :checked="g.rows.every((r) => selection.chosen.has(r.id))" @change="pickGroup(g)" /></td>
            <td colspan="5"><b :class="{ press: g.pressing }">{{ g.title }}</b> <span class="mute">{{ g.cut ? `${timeLeft(g.cut, now)} · ` : "" }}{{ count(g.rows.length, "order") }}</span></td>
            <td class="right">{{ groupTotal(g) }}</td>
          </tr>
          <tr
            v-for="row in g.rows" :key="row.id" class="row" :class="{ selected: selection.chosen.has(row.id), current: row === current }"
            :data-current="row === current" :data-order="row.number" @click="open(row)"
          >
            <td class="tick" @click.stop><input type="checkbox" :aria-label="`Select ${row.number}`" :checked="selection.chosen.has(row.id)" @click="pick(row, $event)" /></td>
            <td class="cut"><span class="mono">{{ row.number }}</span><br /><span class="small mute">{{ row.channel }} · {{ age(row) }}</span></td>
            <td class="cut">{{ row.recipient || "no name" }}<br /><span class="small mute">{{ row.city }}{{ row.city ? ", " : "" }}{{ row.country }}</span></td>
            <td class="cut items" :title="row.items">{{ row.items }}</td>
            <td class="cut">{{ row.promise || "–" }}<br /><span v-if="row.promise_date" class="small mute">by {{ day(row.promise_date) }}</span></td>
            <td class="plan">
              <template v-if="row.buying"><span class="press">Being bought…</span></template>
              <template v-else-if="row.state !== 'open'"><span class="mute">{{ row.service_name ?? stateWords(row.state) }}{{ row.state_why ? `: ${row.state_why}` : "" }}</span></template>
              <template v-else-if="row.service_name">
                {{ row.packaging }} <span class="arrow">→</span> <span class="mono-gram">{{ row.monogram }}</span> {{ row.service_name }}
                <span class="arrow">→</span> <span :class="{ stop: late(row) }">{{ day(row.arrives) }}{{ late(row) ? ", late" : "" }}</span><br />
                <button class="quiet" type="button" title="Why this plan (w)" @click.stop="asking = row">{{ row.decided_by }}</button>
              </template>
              <template v-else>
                <span class="snag" :class="row.snags[0]?.level">{{ row.snags[0]?.words ?? "Not planned yet" }}</span><br />
                <button v-if="row.snags.length && may('shipper', 'care')" class="link fix" type="button" @click.stop="fix(row)">Fix <span v-if="row === current" class="key">s</span></button>
                <span v-if="row.snags.length > 1" class="small mute">and {{ count(row.snags.length - 1, "more snag") }}</span>
              </template>
            </td>
            <td class="right price">{{ money(row.price_minor, currency) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="page?.more" class="mute small more">The first {{ rows.length }} are shown. Search to see others.</p>
    </div>
    <div v-if="openId" class="sheet-layer">
      <OrderSheet :id="openId" :place="`${at + 1} of ${rows.length}`" @close="close" @step="move" @buy="buyRows([$event])" @fix="fixing = $event" />
    </div>
    <div v-if="selection.rows.length && !openId" class="tray" role="region" aria-label="Selected orders">
      <div><b>{{ count(selection.rows.length, "order") }}</b><span>{{ count(selection.labels, "label") }} to buy</span></div>
      <div><b>{{ money(selection.total, currency) }}</b><span>buyers paid {{ money(selection.rows.reduce((n, r) => n + r.paid_shipping_minor, 0), currency) }}</span></div>
      <div v-if="selection.buyable.length">
        <b :class="selection.rows.some(late) ? 'stop' : 'fine'">{{ selection.rows.some(late) ? count(selection.rows.filter(late).length, "order") + " late" : "all on promise" }}</b>
        <span>latest {{ day(selection.buyable.map((r) => r.arrives ?? "").sort().at(-1)) }}</span>
      </div>
      <div v-if="selection.rows.length > selection.buyable.length"><b class="stop">{{ selection.rows.length - selection.buyable.length }}</b><span>cannot be bought</span></div>
      <span class="grow" />
      <button class="link" type="button" @click="selection.clear()">Unselect <span class="key">Esc</span></button>
      <button v-if="may('shipper', 'care')" class="link" type="button" @click="holdThem">Hold <span class="key">h</span></button>
      <v-btn v-if="may('shipper') && selection.buyable.length" @click="buy">Buy {{ count(selection.labels, "label") }} · {{ money(selection.total, currency) }}</v-btn>
    </div>
    <BuyDialog v-model="buyOpen" :rows="toBuy" />
    <SnagFix v-if="fixing" :row="fixing" @close="fixing = undefined" />
    <WhyDialog v-if="asking" :row="asking" @close="asking = undefined" />
  </div>
</template>

<style scoped>
.orders { display: grid; grid-template-rows: auto auto minmax(0, 1fr) auto; height: 100%; position: relative; }
.bar { padding: 12px 18px 4px; margin: 0; gap: 8px; }
.note { margin: 4px 18px; }
.rows { grid-row: 3; overflow: auto; padding: 0 18px; outline-offset: -2px; }
.search { font: inherit; border: 1px solid var(--line); background: var(--sheet); color: var(--ink); border-radius: 4px; padding: 4px 10px; width: 150px; }
.list { table-layout: fixed; min-width: 830px; }
.list th { position: sticky; top: 0; background: var(--paper); z-index: 1; }
.list th:nth-child(1) { width: 30px; } .list th:nth-child(2) { width: 150px; } .list th:nth-child(3) { width: 152px; } .list th:nth-child(4) { width: 17%; } .list th:nth-child(5) { width: 154px; } .list th:nth-child(7) { width: 74px; }
@media (max-width: 1100px) {
  .list { min-width: 0; }
  .list th:nth-child(2) { width: 112px; } .list th:nth-child(3) { width: 118px; } .list th:nth-child(4) { width: 15%; } .list th:nth-child(5) { width: 118px; }
}
.group td { background: var(--soft); height: 29px; }
.row { cursor: pointer; } .row td { height: 39px; }
.row:hover { background: var(--soft); }
.row.selected { background: var(--mul-soft); }
.row.current td:first-child { box-shadow: inset 3px 0 0 var(--mul); }
.row.current { outline: 1px solid var(--mul); outline-offset: -1px; }
.cut { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.items { white-space: normal; display: table-cell; max-height: 38px; }
.plan { line-height: 1.3; } .price { font-weight: 600; white-space: nowrap; }
.arrow { color: var(--mute); padding: 0 3px; }
.fix { padding: 0 4px; }
.tick { padding: 0 2px 0 8px !important; }
.tick input { accent-color: var(--mul); width: 15px; height: 15px; }
.more { padding: 12px; }
.tray { grid-row: 4; border-top: 1px solid var(--line); background: var(--sheet); min-height: 58px; display: flex; align-items: center; gap: 22px; padding: 6px 18px; }
.tray b { display: block; font-size: 15px; font-weight: 650; } .tray div span { font-size: 11px; color: var(--mute); }
.sheet-layer { position: absolute; inset: 0; background: var(--paper); z-index: 3; }
</style>
