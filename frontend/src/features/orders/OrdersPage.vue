<script setup lang="ts">
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, need, words, type Schemas } from "../../api/client";
import { count, day, money } from "../../shared/format";
import { useKeys } from "../../shared/keyboard";
import { useScans } from "../../shared/scanner";
import { useSelection } from "../../shared/selection";
import { useMe } from "../../shared/session";
import { recipesQuery } from "../rules";
import { todayQuery } from "../today";
import BatchDrop from "./BatchDrop.vue";
import BulkEdit from "./BulkEdit.vue";
import BuyDialog from "./BuyDialog.vue";
import IntoBatch from "./IntoBatch.vue";
import { groupsOf, late, type Group } from "./grouping";
import LinkPromise from "./LinkPromise.vue";
import OrderSheet from "./OrderSheet.vue";
import OrderTable from "./OrderTable.vue";
import { ordersQuery, type Asks, type OrderRow } from "./queries";
import SnagFix from "./SnagFix.vue";
import WhyDialog from "./WhyDialog.vue";
import WorkFilters from "./WorkFilters.vue";

const route = useRoute();
const router = useRouter();
const client = useQueryClient();
const { zone, currency, may } = useMe();
const selection = useSelection();

const VIEWS = [["open", "Open"], ["clear", "Clear"], ["snags", "Snags"], ["held", "Held or left out"], ["shipped", "Shipped"], ["all", "All"]] as const;
const asked = (name: string) => (typeof route.query[name] === "string" ? (route.query[name] as string) : undefined);
const asks = ref<Asks>({ view: asked("view") ?? "open", sort: "departure", snag: asked("snag"), promise: asked("promise"), product: asked("product") });
const view = computed(() => asks.value.view ?? "open");
const text = ref("");
const at = ref(0);
const searchField = ref<HTMLInputElement>();
const buyOpen = ref(false);
const toBuy = ref<OrderRow[]>([]);
const fixing = ref<OrderRow>();
const asking = ref<OrderRow>();
const linking = ref<OrderRow>();
const bulk = ref(false);
const batching = ref<OrderRow[]>();
const { data: recipes } = useQuery(recipesQuery);
const notice = ref("");

let timer: number | undefined;
watch(text, (value) => {
  window.clearTimeout(timer);
  timer = window.setTimeout(() => { asks.value = { ...asks.value, text: value.trim() || undefined }; at.value = 0; }, 200);
});
const { data: pages, error, isPending, hasNextPage, isFetchingNextPage, fetchNextPage } = useInfiniteQuery(computed(() => ordersQuery(asks.value)));
const page = computed(() => pages.value?.pages.at(-1));
const loaded = computed(() => pages.value?.pages.flatMap((p) => p.orders) ?? []);
const { data: today } = useQuery(todayQuery);
watch(loaded, (fresh) => selection.refresh(fresh));

const groups = computed(() => groupsOf(loaded.value, today.value?.departures ?? [], zone.value, asks.value.sort === "departure"));
const rows = computed(() => groups.value.flatMap((g) => g.rows));
const index = computed(() => new Map(rows.value.map((row, i) => [row.id, i])));
const current = computed(() => rows.value[Math.min(at.value, rows.value.length - 1)]);
const openId = computed(() => Number(route.params.id ?? 0));

function look(key: string): void {
  asks.value = { ...asks.value, view: key };
  at.value = 0;
}
function sortBy(key: string): void {
  asks.value = { ...asks.value, sort: key, descending: asks.value.sort === key && key !== "departure" ? !asks.value.descending : false };
}
function more(): void {
  if (hasNextPage.value && !isFetchingNextPage.value) void fetchNextPage();
}

async function move(by: number, select = false): Promise<void> {
  const before = current.value;
  at.value = Math.max(0, Math.min(rows.value.length - 1, at.value + by));
  if (select && before && current.value) {
    selection.set(before, true);
    selection.set(current.value, true);
  }
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
function pickGroup(group: Group): void {
  const all = group.rows.every((r) => selection.chosen.has(r.id));
  for (const r of group.rows) selection.set(r, !all);
}
const MOST_AT_ONCE = 5_000;
/** Select everything that is asked for, also what has not been scrolled to yet. */
async function pickAll(): Promise<void> {
  while (hasNextPage.value && loaded.value.length < MOST_AT_ONCE) await fetchNextPage();
  for (const r of rows.value.slice(0, MOST_AT_ONCE)) selection.set(r, true);
  if (hasNextPage.value || rows.value.length > MOST_AT_ONCE) notice.value = "The first 5,000 are selected; more cannot be bought at once.";
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
  const wanted = selection.buyable.length ? selection.rows.filter((r) => r.state === "open" && !r.buying) : current.value && current.value.price_minor !== null && current.value.state === "open" ? [current.value] : [];
  if (!wanted.length) {
    notice.value = "Nothing selected can be bought: choose orders that have a price.";
    return;
  }
  buyRows(wanted);
}
function compareMany(): void {
  if (!selection.rows.length && current.value) selection.set(current.value, true);
  void router.push("/orders/compare");
}
function buyRows(wanted: OrderRow[]): void {
  toBuy.value = [...wanted];
  buyOpen.value = true;
}
function wanted(): OrderRow[] {
  return selection.rows.length ? selection.rows : current.value ? [current.value] : [];
}
const hold = useMutation({
  mutationFn: async (them: OrderRow[]) =>
    need(await api.POST("/api/orders/held", { body: { order_ids: them.map((r) => r.id), held: !them.every((r) => r.state !== "open") } })),
  onSuccess: () => client.invalidateQueries({ queryKey: ["orders"] }),
  onError: (e) => (notice.value = words(e)),
});
function holdThem(): void {
  if (wanted().length && may("shipper", "care")) hold.mutate(wanted());
}
async function printThem(): Promise<void> {
  const ids: number[] = [];
  for (const row of wanted().filter((r) => r.state === "shipped")) {
    const sheet = need(await api.GET("/api/orders/{order_id}", { params: { path: { order_id: row.id } } }));
    ids.push(...sheet.shipments.filter((s) => s.state === "bought").map((s) => s.id));
  }
  if (ids.length) window.open(`/api/labels.pdf?${ids.map((id) => `shipment=${id}`).join("&")}`, "_blank");
  else notice.value = "Nothing here has a label to print yet.";
}
const dragged = ref<number[]>([]);
/** Dragging one of the selected orders takes all of them along. */
function drag(row: OrderRow, event: DragEvent): void {
  const them = selection.chosen.has(row.id) ? selection.rows.filter((r) => r.state === "open") : [row];
  event.dataTransfer?.setData("text/plain", them.map((r) => r.id).join(","));
  window.setTimeout(() => (dragged.value = them.map((r) => r.id)));
}
function intoBatch(): void {
  const them = wanted().filter((r) => r.state === "open");
  if (them.length && may("shipper")) batching.value = them;
}
const cook = useMutation({
  mutationFn: async (of: { recipe: Schemas["RecipeOut"]; rows: OrderRow[] }) =>
    need(await api.POST("/api/orders/hand", { body: { order_ids: of.rows.map((r) => r.id), set: { service: of.recipe.service, packaging: of.recipe.packaging, extras: of.recipe.extras } } })),
  onSuccess: (_, of) => {
    notice.value = `${of.recipe.name}: set for ${count(of.rows.length, "order")}.`;
    for (const key of ["orders", "order", "today"]) void client.invalidateQueries({ queryKey: [key] });
  },
  onError: (e) => (notice.value = words(e)),
});
/** The first nine recipes have a key each. */
function useRecipe(place: number): void {
  const recipe = recipes.value?.[place - 1];
  const them = wanted().filter((r) => r.state === "open");
  if (recipe && them.length && may("shipper")) cook.mutate({ recipe, rows: them });
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

// Others see what is being worked on: the open order and what is selected.
let beat: number | undefined;
let claimed: number[] = [];
async function claim(): Promise<void> {
  const ids = [...new Set([...(openId.value ? [openId.value] : []), ...selection.rows.map((r) => r.id)])].slice(0, 2_000);
  const dropped = claimed.filter((id) => !ids.includes(id));
  claimed = ids;
  try {
    if (dropped.length) await api.POST("/api/presence/let-go", { body: { order_ids: dropped } });
    if (ids.length) await api.POST("/api/presence", { body: { order_ids: ids, take_over: false } });
  } catch {
    // Being seen by others is a courtesy; work goes on without it, and the next beat tries again.
  }
}
watch([openId, () => selection.rows.length], () => { window.clearTimeout(beat); beat = window.setTimeout(() => void claim(), 300); });
let regular: number | undefined;
onMounted(() => (regular = window.setInterval(() => void claim(), 45_000)));
onBeforeUnmount(() => window.clearInterval(regular));

const RECIPE = "RECIPE-";
useScans((code) => {
  const place = (recipes.value ?? []).findIndex((r) => code === RECIPE + r.code);
  if (place >= 0) useRecipe(place + 1);
  return code.startsWith(RECIPE);
});
useKeys({
  ...Object.fromEntries([1, 2, 3, 4, 5, 6, 7, 8, 9].map((n) => [String(n), () => useRecipe(n)])),
  g: intoBatch,
  ArrowDown: () => void move(1),
  ArrowUp: () => void move(-1),
  "Shift+ArrowDown": () => void move(1, true),
  "Shift+ArrowUp": () => void move(-1, true),
  " ": () => current.value && selection.set(current.value, !selection.chosen.has(current.value.id)),
  Enter: () => current.value && void open(current.value),
  Escape: () => (openId.value ? close() : selection.clear()),
  a: () => void pickAll(),
  b: buy,
  h: holdThem,
  p: () => void printThem(),
  s: () => fix(current.value),
  w: () => (asking.value = current.value),
  c: () => current.value && void open(current.value),
  m: compareMany,
  l: () => { if (current.value?.promise) linking.value = current.value; },
  e: () => {
    if (selection.rows.length > 1) bulk.value = true;
    else if (current.value) fixing.value = { ...current.value, snags: [{ code: "address", level: "warns", words: "Change where it goes", fix: "address", about: "" }] };
  },
  "/": () => searchField.value?.focus(),
});
</script>

<template>
  <div class="orders">
    <div class="head bar">
      <h1>Orders</h1>
      <span class="mute">{{ page ? `${page.counts.open!.toLocaleString("en-GB")} open, ${page.counts.clear!.toLocaleString("en-GB")} clear` : "" }}</span>
      <span class="grow" />
      <button v-for="[key, name] in VIEWS" :key="key" type="button" class="chip" :aria-pressed="view === key" @click="look(key)">
        {{ name }} <span v-if="page">{{ page.counts[key]!.toLocaleString("en-GB") }}</span>
      </button>
      <input ref="searchField" v-model="text" class="search" type="search" placeholder="Search  /" aria-label="Search in the list" @keydown.esc="($event.target as HTMLInputElement).blur()" @keydown.enter="($event.target as HTMLInputElement).blur()" />
    </div>
    <div class="second">
      <WorkFilters v-model="asks">
        <span v-if="page && page.matching !== page.counts[view]" class="mute small">{{ count(page.matching, "order matches", "orders match") }}</span>
        <span class="grow" />
        <RouterLink v-if="may('shipper')" class="link" to="/orders/new">New shipment</RouterLink>
        <RouterLink v-if="may('shipper')" class="link" to="/import">Import</RouterLink>
      </WorkFilters>
      <p v-if="notice" class="note bad" role="alert">{{ notice }} <button class="link" type="button" @click="notice = ''">Good</button></p>
      <p v-if="error" class="note bad" role="alert">{{ words(error) }}</p>
    </div>
    <OrderTable
      class="table" :class="{ behind: openId }" :groups="groups" :current="current" :sort="asks.sort ?? 'age'" :descending="asks.descending ?? false" :more="hasNextPage"
      @open="open" @pick="pick" @pick-group="pickGroup" @fix="fix" @why="asking = $event" @link="linking = $event" @sort="sortBy" @end="more" @drag="drag" @let="dragged = []"
    >
      <p v-if="isPending" class="empty">Fetching the orders…</p>
      <p v-else-if="!rows.length" class="empty">
        <template v-if="asks.text">No order matches “{{ asks.text }}” here. <button class="link" type="button" @click="text = ''">Show all</button></template>
        <template v-else>No orders in this view. They come from the channels by themselves, or <RouterLink class="link" to="/import">import a spreadsheet</RouterLink>.</template>
      </p>
    </OrderTable>
    <div v-if="openId" class="sheet-layer">
      <OrderSheet :id="openId" :place="`${at + 1} of ${page?.matching ?? rows.length}`" @close="close" @step="move" @buy="buyRows([$event])" @fix="fixing = $event" @link="linking = $event" @go="router.push(`/orders/${$event}`)" />
    </div>
    <div v-if="selection.rows.length && !openId" class="tray" role="region" aria-label="Selected orders">
      <div><b>{{ count(selection.rows.length, "order") }}</b><span>{{ count(selection.labels, "label") }} to buy</span></div>
      <div><b>{{ money(selection.total, currency) }}</b><span>buyers paid {{ money(selection.rows.reduce((n, r) => n + r.paid_shipping_minor, 0), currency) }}</span></div>
      <div v-if="selection.buyable.length">
        <b :class="selection.rows.some(late) ? 'stop' : 'fine'">{{ selection.rows.some(late) ? count(selection.rows.filter(late).length, "order") + " late" : "all on promise" }}</b>
        <span>latest {{ day(selection.buyable.map((r) => r.arrives ?? "").sort().at(-1)) }}</span>
      </div>
      <div v-if="selection.rows.length > selection.buyable.length"><b class="stop">{{ selection.rows.length - selection.buyable.length }}</b><span>cannot be bought</span></div>
      <div v-if="selection.rows.some((r) => r.held_by)"><b class="press">{{ selection.rows.filter((r) => r.held_by).length }}</b><span>with others just now</span></div>
      <span class="grow" />
      <button class="link" type="button" @click="selection.clear()">Unselect <span class="key">Esc</span></button>
      <button class="link" type="button" @click="compareMany">Compare <span class="key">m</span></button>
      <button v-if="may('shipper')" class="link" type="button" @click="bulk = true">Edit <span class="key">e</span></button>
      <button v-if="may('shipper')" class="link" type="button" @click="intoBatch">Batch <span class="key">g</span></button>
      <button v-if="may('shipper', 'care')" class="link" type="button" @click="holdThem">Hold <span class="key">h</span></button>
      <v-btn v-if="may('shipper') && selection.buyable.length" @click="buy">Buy {{ count(selection.labels, "label") }} · {{ money(selection.total, currency) }}</v-btn>
    </div>
    <BuyDialog v-model="buyOpen" :rows="toBuy" />
    <BatchDrop v-if="dragged.length" :ids="dragged" :told="(words) => (notice = words)" />
    <IntoBatch v-if="batching" :rows="batching" @close="batching = undefined" />
    <BulkEdit v-if="bulk" :rows="selection.rows" @close="bulk = false" />
    <SnagFix v-if="fixing" :row="fixing" @close="fixing = undefined" />
    <WhyDialog v-if="asking" :row="asking" @close="asking = undefined" />
    <LinkPromise v-if="linking" :row="linking" @close="linking = undefined" />
  </div>
</template>

<style scoped>
.orders { display: grid; grid-template: auto auto minmax(0, 1fr) auto / minmax(0, 1fr); height: 100%; position: relative; }
.bar { padding: 12px 18px 4px; margin: 0; gap: 8px; }
.second { grid-row: 2; } .table { grid-row: 3; }
.behind { visibility: hidden; }
.note { margin: 4px 18px; }
.search { font: inherit; border: 1px solid var(--line); background: var(--sheet); color: var(--ink); border-radius: 4px; padding: 4px 10px; width: 150px; }
.tray { grid-row: 4; border-top: 1px solid var(--line); background: var(--sheet); min-height: 58px; display: flex; align-items: center; gap: 14px; padding: 6px 18px; white-space: nowrap; }
.tray b { display: block; font-size: 15px; font-weight: 650; } .tray div span { font-size: 11px; color: var(--mute); }
@media (max-width: 1100px) { .tray { flex-wrap: wrap; gap: 2px 10px; } .tray .key { display: none; } }
.sheet-layer { position: absolute; inset: 0; background: var(--paper); z-index: 3; }
</style>
