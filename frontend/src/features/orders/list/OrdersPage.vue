<script setup lang="ts">
import { useInfiniteQuery, useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { count, number } from "../../../shared/format";
import { useKeys } from "../../../shared/keyboard";
import { useScans } from "../../../shared/scanner";
import { useSelection } from "../../../shared/selection";
import { useMe } from "../../../shared/session";
import { ErrorNote, NoticeLine } from "../../../shared/ui";
import { BuyDialog } from "../../buying";
import { todayQuery } from "../../handover";
import LinkPromise from "../fix/LinkPromise.vue";
import ChangeDecision from "../fix/ChangeDecision.vue";
import SnagFix from "../fix/SnagFix.vue";
import {
  changesAddress,
  ordersQuery,
  type Asks,
  type OrderRow,
  type PickedOrder,
} from "../queries";
import OrderSheet from "../sheet/OrderSheet.vue";
import WhyDialog from "../sheet/WhyDialog.vue";
import AskForMany from "./AskForMany.vue";
import BatchDrop from "./BatchDrop.vue";
import BulkEdit from "./BulkEdit.vue";
import { groupsOf } from "./grouping";
import IntoBatch from "./IntoBatch.vue";
import OrderTable from "./OrderTable.vue";
import SearchBox from "./SearchBox.vue";
import SelectionTray from "./SelectionTray.vue";
import { useOrderActions } from "./useOrderActions";
import { usePresence } from "./usePresence";
import { useRowSelection } from "./useRowSelection";
import WorkFilters from "./WorkFilters.vue";

const route = useRoute();
const router = useRouter();
const { zone, may } = useMe();
const selection = useSelection();

const VIEWS = [
  ["open", "Open"],
  ["clear", "Clear"],
  ["snags", "Snags"],
  ["held", "Held or left out"],
  ["shipped", "Shipped"],
  ["all", "All"],
] as const;
/** Departures order the open work; what has gone is looked for from the newest back. */
const sortOf = (view: string): Pick<Asks, "sort" | "descending"> =>
  view === "shipped"
    ? { sort: "shipped", descending: true }
    : { sort: "departure", descending: false };
const asked = (name: string) =>
  typeof route.query[name] === "string" ? (route.query[name] as string) : undefined;
const first = asked("view") ?? "open";
const asks = ref<Asks>({
  view: first,
  ...sortOf(first),
  ...Object.fromEntries(["snag", "promise", "product"].map((name) => [name, asked(name)])),
});
const view = computed(() => asks.value.view ?? "open");
const search = ref<InstanceType<typeof SearchBox>>();
function lookFor(text: string | undefined): void {
  asks.value = { ...asks.value, text };
  toStart();
}

const {
  data: pages,
  error,
  isPending,
  hasNextPage,
  isFetchingNextPage,
  fetchNextPage,
} = useInfiniteQuery(computed(() => ordersQuery(asks.value)));
const page = computed(() => pages.value?.pages.at(-1));
const loaded = computed(() => pages.value?.pages.flatMap((p) => p.orders) ?? []);
const { data: today } = useQuery(todayQuery);
watch(loaded, (fresh) => selection.refresh(fresh));
const groups = computed(() =>
  groupsOf(
    loaded.value,
    today.value?.departures ?? [],
    zone.value,
    asks.value.sort === "departure",
  ),
);
const rows = computed(() => groups.value.flatMap((g) => g.rows));
const openId = computed(() => Number(route.params.id ?? 0));
const {
  at,
  current,
  meant,
  goTo,
  toStart,
  step,
  toggleCurrent,
  pick,
  pickGroup,
  pickAll,
  afterPicking,
} = useRowSelection(rows, asks);
const actions = useOrderActions(meant, () => selection.seen ?? page.value?.newest_change);
const { notice, recipes, hold, print, opened, marking } = actions;
const { useRecipe, asked: askedForMany, setting, changed, together, undoing } = actions;
watch(
  () => selection.rows.length > 0,
  (some) => (selection.seen = some ? page.value?.newest_change : undefined),
);
usePresence(openId);

function look(key: string): void {
  asks.value = { ...asks.value, view: key, ...sortOf(key) };
  toStart();
}
function sortBy(key: string): void {
  asks.value = {
    ...asks.value,
    sort: key,
    descending: asks.value.sort === key && key !== "departure" ? !asks.value.descending : false,
  };
}
function more(): void {
  if (hasNextPage.value && !isFetchingNextPage.value) void fetchNextPage();
}
async function move(by: number, select = false): Promise<void> {
  step(by, select);
  if (openId.value && current.value) await open(current.value);
}
async function open(row: OrderRow): Promise<void> {
  goTo(row.id);
  await router.push({ path: `/orders/${row.id}`, query: route.query });
}
function close(): void {
  void router.push({ path: "/orders" });
}
async function everything(): Promise<void> {
  const left = await pickAll();
  if (left)
    notice.value = `${number(selection.rows.length)} are selected; ${number(left)} more match and are left out.`;
}

const buyOpen = ref(false);
const toBuy = ref<PickedOrder[]>([]);
const fixing = ref<OrderRow>();
const asking = ref<OrderRow>();
const linking = ref<OrderRow>();
const bulk = ref(false);
const batching = ref<PickedOrder[]>();
const dragged = ref<number[]>([]);

const waiting = () => meant.value.filter((r) => r.state === "open");
function buyRows(wanted: PickedOrder[]): void {
  toBuy.value = [...wanted];
  buyOpen.value = true;
}
function buy(): void {
  if (!may("shipper")) return;
  const wanted = waiting().filter((r) => !r.buying);
  if (wanted.some((r) => r.price_minor !== null)) buyRows(wanted);
  else notice.value = "Nothing selected can be bought: choose orders that have a price.";
}
function compareMany(): void {
  if (!selection.rows.length && current.value) selection.set(current.value, true);
  void router.push("/orders/compare");
}
/** Dragging one of the selected orders takes all of them along. */
function drag(row: OrderRow, event: DragEvent): void {
  const them = selection.chosen.has(row.id)
    ? selection.rows.filter((r) => r.state === "open")
    : [row];
  event.dataTransfer?.setData("text/plain", them.map((r) => r.id).join(","));
  window.setTimeout(() => (dragged.value = them.map((r) => r.id)));
}
function intoBatch(): void {
  if (waiting().length && may("shipper")) batching.value = waiting();
}
function fix(row: OrderRow | undefined): void {
  if (row?.snags.length) fixing.value = row;
}
function edit(): void {
  if (selection.rows.length > 1) bulk.value = true;
  else if (current.value) fixing.value = changesAddress(current.value);
}
watch(
  [openId, rows],
  () => {
    if (openId.value) goTo(openId.value);
    if (route.query.fix && openId.value && rows.value.length) {
      fix(rows.value.find((r) => r.id === openId.value));
      void router.replace({ path: route.path });
    }
  },
  { immediate: true },
);

const RECIPE = "RECIPE-";
useScans((code) => {
  useRecipe(recipes.value?.find((r) => code === RECIPE + r.code));
  return code.startsWith(RECIPE);
});
useKeys({
  // The first nine recipes have a key each.
  ...Object.fromEntries(
    [1, 2, 3, 4, 5, 6, 7, 8, 9].map((n) => [
      String(n),
      () => afterPicking(() => useRecipe(recipes.value?.[n - 1])),
    ]),
  ),
  g: () => afterPicking(intoBatch),
  ArrowDown: () => void move(1),
  ArrowUp: () => void move(-1),
  "Shift+ArrowDown": () => void move(1, true),
  "Shift+ArrowUp": () => void move(-1, true),
  " ": toggleCurrent,
  Enter: () => current.value && void open(current.value),
  Escape: () => (openId.value ? close() : selection.clear()),
  "Ctrl+a": () => void everything(),
  a: () => void everything(),
  b: () => afterPicking(buy),
  h: () => afterPicking(hold),
  p: () => afterPicking(print),
  s: () => fix(current.value),
  w: () => (asking.value = current.value),
  c: () => current.value && void open(current.value),
  m: () => afterPicking(compareMany),
  l: () => {
    if (current.value?.promise) linking.value = current.value;
  },
  e: () => afterPicking(edit),
  z: () => {
    if (together.value.length) undoing.mutate();
  },
  "/": () => search.value?.focus(),
});
</script>

<template>
  <div class="orders">
    <div class="head bar">
      <h1>Orders</h1>
      <span class="mute">{{
        page
          ? `${page.counts.open!.toLocaleString("en-GB")} open, ${page.counts.clear!.toLocaleString("en-GB")} clear`
          : ""
      }}</span>
      <span class="grow" />
      <button
        v-for="[key, name] in VIEWS"
        :key="key"
        type="button"
        class="chip"
        :aria-pressed="view === key"
        @click="look(key)"
      >
        {{ name }} <span v-if="page">{{ number(page.counts[key]) }}</span>
      </button>
      <SearchBox ref="search" :text="asks.text" @look="lookFor" />
    </div>
    <div class="second">
      <WorkFilters v-model="asks">
        <span v-if="page && page.matching !== page.counts[view]" class="mute small">{{
          count(page.matching, "order matches", "orders match")
        }}</span>
        <span class="grow" />
        <RouterLink v-if="may('shipper')" class="link" to="/orders/new">New shipment</RouterLink>
        <RouterLink v-if="may('shipper')" class="link" to="/import">Import</RouterLink>
      </WorkFilters>
      <NoticeLine v-model="notice">
        <button v-if="opened.length" class="link" type="button" @click="marking.mutate()">
          They came out of the printer: mark them printed
        </button>
        <button v-if="together.length" class="link" type="button" @click="undoing.mutate()">
          Undo for {{ together.length === 1 ? "it" : `all ${together.length}` }}
          <span class="key">z</span>
        </button>
      </NoticeLine>
      <ErrorNote :error="error" />
    </div>
    <OrderTable
      class="table"
      :class="{ behind: openId }"
      :groups="groups"
      :current="current"
      :sort="asks.sort ?? 'age'"
      :descending="asks.descending ?? false"
      :more="hasNextPage"
      @open="open"
      @pick="pick"
      @pick-group="pickGroup"
      @fix="fix"
      @why="asking = $event"
      @link="linking = $event"
      @sort="sortBy"
      @end="more"
      @drag="drag"
      @let="dragged = []"
    >
      <p v-if="isPending" class="empty">Fetching the orders…</p>
      <p v-else-if="!rows.length" class="empty">
        <template v-if="asks.text"
          >No order matches “{{ asks.text }}” here.
          <button class="link" type="button" @click="lookFor(undefined)">Show all</button></template
        >
        <template v-else
          >No orders in this view. They come from the channels by themselves, or
          <RouterLink class="link" to="/import">import a spreadsheet</RouterLink>.</template
        >
      </p>
    </OrderTable>
    <div v-if="openId" class="sheet-layer">
      <OrderSheet
        :id="openId"
        :place="`${at + 1} of ${page?.matching ?? rows.length}`"
        @close="close"
        @step="move"
        @buy="buyRows([$event])"
        @fix="fix"
        @link="linking = $event"
        @go="router.push(`/orders/${$event}`)"
      />
    </div>
    <SelectionTray
      v-if="selection.rows.length && !openId"
      class="tray"
      @compare="compareMany"
      @edit="bulk = true"
      @batch="intoBatch"
      @hold="hold"
      @print="print"
      @buy="buy"
    />
    <BuyDialog v-model="buyOpen" :rows="toBuy" />
    <BatchDrop v-if="dragged.length" :ids="dragged" :told="(words) => (notice = words)" />
    <IntoBatch v-if="batching" :rows="batching" @close="batching = undefined" />
    <BulkEdit
      v-if="bulk"
      :rows="selection.rows"
      :seen="selection.seen"
      @changed="
        (name) =>
          changed(
            name,
            selection.rows.map((r) => r.id),
          )
      "
      @close="bulk = false"
    />
    <AskForMany
      v-if="askedForMany"
      :asked="askedForMany"
      :busy="setting.isPending.value"
      @close="askedForMany = undefined"
      @send="setting.mutate(askedForMany)"
    />
    <ChangeDecision
      v-if="fixing?.snags[0]?.fix === 'difference'"
      :order-id="fixing.id"
      @close="fixing = undefined"
    />
    <SnagFix v-else-if="fixing" :row="fixing" @close="fixing = undefined" />
    <WhyDialog v-if="asking" :row="asking" @close="asking = undefined" />
    <LinkPromise v-if="linking" :row="linking" @close="linking = undefined" />
  </div>
</template>

<style scoped>
.orders {
  display: grid;
  grid-template: auto auto minmax(0, 1fr) auto / minmax(0, 1fr);
  height: 100%;
  position: relative;
}
.bar {
  padding: 12px 18px 4px;
  margin: 0;
  gap: 8px;
}
.tray {
  grid-row: 4;
}
.second {
  grid-row: 2;
}
.table {
  grid-row: 3;
}
.behind {
  visibility: hidden;
}
.sheet-layer {
  position: absolute;
  inset: 0;
  background: var(--paper);
  z-index: 3;
}
</style>
