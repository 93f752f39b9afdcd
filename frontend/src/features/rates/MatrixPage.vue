<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { useVirtualizer } from "@tanstack/vue-virtual";
import { computed, nextTick, ref } from "vue";
import { useRouter } from "vue-router";
import { amountText, count, country, day, money } from "../../shared/format";
import { useKeys } from "../../shared/keyboard";
import { useSelection } from "../../shared/selection";
import { useMe } from "../../shared/session";
import { markWords, matrixQuery, chooseServices } from "./queries";
import { ErrorNote } from "../../shared/ui";

const { currency, may } = useMe();
const selection = useSelection();
const router = useRouter();
const client = useQueryClient();
const ids = computed(() => selection.rows.filter((r) => r.state === "open").map((r) => r.id));
const { data: matrix, error, isPending } = useQuery(computed(() => matrixQuery(ids.value)));
/** What is chosen here and not kept yet, by order; null is "let the plan decide". */
const staged = ref(new Map<number, string>());
const undo = ref<Record<number, string | null>>();
const at = ref({ row: 0, column: 0 });

// Services that take none of these orders stand back, at the end.
const order = computed(() => {
  const m = matrix.value;
  if (!m) return [];
  const taken = m.services.map((_, i) =>
    m.rows.reduce((n, r) => n + (r.prices[i] === null ? 0 : 1), 0),
  );
  return m.services
    .map((_, i) => i)
    .sort((a, b) => Number(taken[b]! > 0) - Number(taken[a]! > 0) || a - b);
});
const columns = computed(() =>
  order.value.map((i) => ({ i, service: matrix.value!.services[i]! })),
);
const rows = computed(() => matrix.value?.rows ?? []);
type Row = (typeof rows.value)[number];
const index = computed(() => new Map(matrix.value?.services.map((s, i) => [s.code, i])));
const chosen = (row: Row): string | null => staged.value.get(row.id) ?? row.chosen;
const priceOf = (row: Row, code: string | null): number | null =>
  code === null ? null : (row.prices[index.value.get(code) ?? -1] ?? null);
const lateBy = (row: Row, i: number): boolean =>
  Boolean(row.promise && row.arrives[i] && row.arrives[i]! > row.promise);
const cheapest = (row: Row): number =>
  Math.min(...row.prices.filter((p): p is number => p !== null));

function sums(pick: (row: Row) => string | null) {
  let total = 0,
    priced = 0,
    late = 0;
  for (const row of rows.value) {
    const code = pick(row),
      price = priceOf(row, code);
    if (price === null) continue;
    total += price;
    priced += 1;
    if (lateBy(row, index.value.get(code!)!)) late += 1;
  }
  return { total, priced, late };
}
const before = computed(() => sums((r) => r.chosen));
const after = computed(() => sums(chosen));
const policies = computed(() =>
  Object.keys(matrix.value?.formulas ?? {}).map((key) => ({
    key,
    ...sums((r) => r.picks[key] ?? r.chosen),
  })),
);
const perColumn = computed(
  () =>
    matrix.value?.services.map((_, i) => rows.value.filter((r) => r.prices[i] !== null).length) ??
    [],
);

function stage(row: Row, code: string): void {
  if (priceOf(row, code) === null) return;
  if (code === row.chosen) staged.value.delete(row.id);
  else staged.value.set(row.id, code);
}
function stageColumn(i: number): void {
  const code = matrix.value!.services[i]!.code;
  for (const row of rows.value) stage(row, code);
}
function stagePolicy(key: string): void {
  for (const row of rows.value) if (row.picks[key]) stage(row, row.picks[key]);
}
const apply = useMutation({
  mutationFn: async (choices: Record<number, string | null>) => await chooseServices({ choices }),
  onSuccess: (fresh) => {
    staged.value.clear();
    selection.refresh(fresh);
    void client.invalidateQueries({ queryKey: ["orders"] });
  },
});
function keep(): void {
  if (!staged.value.size) return;
  const mine = rows.value.filter((r) => staged.value.has(r.id));
  const back = Object.fromEntries(mine.map((r) => [r.id, r.by_hand]));
  apply.mutate(Object.fromEntries(staged.value), { onSuccess: () => (undo.value = back) });
}
function takeBack(): void {
  apply.mutate(undo.value!, { onSuccess: () => (undo.value = undefined) });
}

const box = ref<HTMLElement>();
const ROW = 30,
  HEAD = 236,
  WIDTH = 92,
  TOP = 58;
const down = useVirtualizer(
  computed(() => ({
    count: rows.value.length,
    getScrollElement: () => box.value ?? null,
    estimateSize: () => ROW,
    overscan: 12,
  })),
);
const across = useVirtualizer(
  computed(() => ({
    horizontal: true,
    count: columns.value.length,
    getScrollElement: () => box.value ?? null,
    estimateSize: () => WIDTH,
    overscan: 3,
    paddingStart: HEAD,
  })),
);
const shownColumns = computed(() => across.value.getVirtualItems());
async function move(down_: number, right: number): Promise<void> {
  at.value = {
    row: Math.max(0, Math.min(rows.value.length - 1, at.value.row + down_)),
    column: Math.max(0, Math.min(columns.value.length - 1, at.value.column + right)),
  };
  down.value.scrollToIndex(at.value.row, { align: "auto" });
  across.value.scrollToIndex(at.value.column, { align: "auto" });
  await nextTick();
}
const here = computed(() => ({
  row: rows.value[at.value.row],
  column: columns.value[at.value.column],
}));
const digits = Object.fromEntries(
  [1, 2, 3, 4, 5].map((n) => [
    String(n),
    () => {
      const p = policies.value[n - 1];
      if (p) stagePolicy(p.key);
    },
  ]),
);
useKeys({
  ArrowDown: () => void move(1, 0),
  ArrowUp: () => void move(-1, 0),
  ArrowRight: () => void move(0, 1),
  ArrowLeft: () => void move(0, -1),
  Enter: () =>
    here.value.row && here.value.column && stage(here.value.row, here.value.column.service.code),
  "|": () => here.value.column && stageColumn(here.value.column.i),
  k: keep,
  Escape: () => (staged.value.size ? staged.value.clear() : void router.push("/orders")),
  ...digits,
});
</script>

<template>
  <div class="matrix">
    <div class="head bar">
      <button class="link" type="button" @click="router.push('/orders')">← Orders</button>
      <h1>Compare</h1>
      <span v-if="matrix" class="mute"
        >{{ count(rows.length, "order") }} by {{ count(columns.length, "service")
        }}<template v-if="ids.length > rows.length"
          >; {{ ids.length - rows.length }} with a snag left out</template
        ></span
      >
    </div>
    <div class="policies">
      <ErrorNote :error="error ?? apply.error.value" />
      <template v-for="(p, n) in policies" :key="p.key">
        <button
          type="button"
          class="policy"
          :disabled="!may('shipper')"
          :title="matrix!.formulas[p.key]"
          @click="stagePolicy(p.key)"
        >
          <b>{{ markWords(p.key) }}</b> <span class="key">{{ n + 1 }}</span><br /><span
            >{{ money(p.total, currency) }}
            <span :class="p.total < before.total ? 'fine' : 'mute'">{{
              p.total === before.total
                ? "the same"
                : `${p.total < before.total ? "−" : "+"}${money(Math.abs(p.total - before.total), currency)}`
            }}</span><span v-if="p.late" class="press">, {{ p.late }} late</span></span
          >
        </button>
      </template>
    </div>
    <p v-if="!ids.length" class="empty">
      Nothing is selected to compare. Select waiting orders in the list with Space or Shift and
      arrows, then press <span class="key">m</span>.
    </p>
    <p v-else-if="isPending" class="empty">Working out every price…</p>
    <p v-else-if="!rows.length" class="empty">
      None of the selected orders can be priced yet: fix their snags first.
    </p>
    <div
      v-else
      ref="box"
      class="grid"
      tabindex="0"
      role="grid"
      aria-label="Orders by services, arrows to move, Enter to choose"
      :aria-rowcount="rows.length + 1"
      :aria-colcount="columns.length + 1"
    >
      <div
        :style="{
          width: `${across.getTotalSize()}px`,
          height: `${down.getTotalSize() + TOP}px`,
          position: 'relative',
        }"
      >
        <div class="heads" role="row">
          <div class="corner" role="columnheader">Order</div>
          <button
            v-for="v in shownColumns"
            :key="v.index"
            type="button"
            role="columnheader"
            class="service"
            :disabled="!may('shipper')"
            :style="{ left: `${v.start}px`, width: `${WIDTH}px` }"
            :title="`Choose ${columns[v.index]!.service.name} for all that it takes`"
            @click="stageColumn(columns[v.index]!.i)"
          >
            <span
              ><span class="mono-gram">{{ columns[v.index]!.service.monogram }}</span>
              {{ columns[v.index]!.service.name }}</span
            ><span class="small mute">takes {{ perColumn[columns[v.index]!.i] }}</span>
          </button>
        </div>
        <div
          v-for="r in down.getVirtualItems()"
          :key="rows[r.index]!.id"
          class="line"
          role="row"
          :aria-rowindex="r.index + 2"
          :style="{ top: `${r.start + TOP}px` }"
        >
          <div class="who" role="rowheader">
            <RouterLink class="mono" :to="`/orders/${rows[r.index]!.id}`">{{
              rows[r.index]!.number
            }}</RouterLink>
            <span class="mute"
              >{{ rows[r.index]!.recipient }}, {{ country(rows[r.index]!.country) }}</span
            >
          </div>
          <button
            v-for="v in shownColumns"
            :key="v.index"
            type="button"
            role="gridcell"
            tabindex="-1"
            class="cell"
            :style="{ left: `${v.start}px`, width: `${WIDTH}px` }"
            :disabled="!may('shipper') || rows[r.index]!.prices[columns[v.index]!.i] === null"
            :class="{
              chosen: chosen(rows[r.index]!) === columns[v.index]!.service.code,
              changed: staged.get(rows[r.index]!.id) === columns[v.index]!.service.code,
              here: at.row === r.index && at.column === v.index,
              late: lateBy(rows[r.index]!, columns[v.index]!.i),
              low: rows[r.index]!.prices[columns[v.index]!.i] === cheapest(rows[r.index]!),
            }"
            :title="
              rows[r.index]!.prices[columns[v.index]!.i] === null
                ? 'does not take it'
                : `${columns[v.index]!.service.name}: arrives ${day(rows[r.index]!.arrives[columns[v.index]!.i])}`
            "
            :aria-selected="chosen(rows[r.index]!) === columns[v.index]!.service.code"
            @click="
              at = { row: r.index, column: v.index };
              stage(rows[r.index]!, columns[v.index]!.service.code);
            "
          >
            {{
              rows[r.index]!.prices[columns[v.index]!.i] === null
                ? "·"
                : amountText(rows[r.index]!.prices[columns[v.index]!.i]!, currency)
            }}<span
              v-if="lateBy(rows[r.index]!, columns[v.index]!.i)"
              class="tardy"
              aria-label="after the promise"
              >◷</span
            >
          </button>
        </div>
      </div>
    </div>
    <div v-if="rows.length" class="tray" role="region" aria-label="What changes">
      <div>
        <b>{{ money(before.total, currency) }}</b><span
          >as planned{{ before.late ? `, ${before.late} late` : "" }}</span
        >
      </div>
      <div>
        <b :class="after.total < before.total ? 'fine' : ''">{{
          money(after.total, currency)
        }}</b><span
          >with {{ count(staged.size, "change")
          }}{{ after.late ? `, ${after.late} late` : "" }}</span
        >
      </div>
      <div v-if="here.row && here.column">
        <b>{{ here.row.number }}, {{ here.column.service.name }}</b
        ><span
          >{{
            here.row.prices[here.column.i] === null
              ? "does not take it"
              : `arrives ${day(here.row.arrives[here.column.i])}`
          }}{{ here.row.promise ? `, promised ${day(here.row.promise)}` : "" }},
          {{ here.row.packaging }}</span
        >
      </div>
      <span class="grow" />
      <button v-if="undo && !staged.size" class="link" type="button" @click="takeBack">
        Undo {{ count(Object.keys(undo).length, "change") }}
      </button>
      <button v-if="staged.size" class="link" type="button" @click="staged.clear()">
        Drop the changes <span class="key">Esc</span>
      </button>
      <v-btn
        v-if="may('shipper')"
        :disabled="!staged.size"
        :loading="apply.isPending.value"
        @click="keep"
        >Keep {{ count(staged.size, "change")
        }}{{
          after.total === before.total
            ? ""
            : ` · ${after.total < before.total ? "−" : "+"}${money(Math.abs(after.total - before.total), currency)}`
        }}</v-btn
      >
    </div>
  </div>
</template>

<style scoped>
.matrix {
  display: grid;
  grid-template-rows: auto auto minmax(0, 1fr) auto;
  height: 100%;
}
.bar {
  padding: 12px 18px 2px;
  margin: 0;
}
.policies {
  display: flex;
  gap: 8px;
  padding: 4px 18px 8px;
  flex-wrap: wrap;
}
.note {
  width: 100%;
}
.policy {
  font: inherit;
  text-align: left;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 4px 12px;
  cursor: pointer;
  font-size: 12.5px;
}
.policy:hover {
  border-color: var(--mul);
}
.policy b::first-letter {
  text-transform: uppercase;
}
.grid {
  overflow: auto;
  background: var(--sheet);
  border: 1px solid var(--line);
  margin: 0 18px 10px;
  contain: strict;
}
.heads {
  position: sticky;
  top: 0;
  z-index: 2;
  height: 58px;
  background: var(--sheet);
  border-bottom: 1px solid var(--line);
}
.corner {
  position: sticky;
  left: 0;
  width: 236px;
  height: 57px;
  padding: 34px 10px 0;
  background: var(--sheet);
  color: var(--mute);
  font-size: 11.5px;
  z-index: 3;
}
.service {
  position: absolute;
  top: 0;
  height: 57px;
  font: inherit;
  font-size: 11.5px;
  line-height: 1.2;
  text-align: right;
  padding: 4px 8px;
  background: none;
  color: var(--ink);
  border: 0;
  cursor: pointer;
  overflow: hidden;
  display: flex;
  flex-direction: column;
  justify-content: flex-end;
  align-items: flex-end;
}
.service:hover:enabled {
  color: var(--mul);
}
.line {
  position: absolute;
  left: 0;
  height: 30px;
  width: 100%;
  border-bottom: 1px solid var(--line);
}
.who {
  position: sticky;
  left: 0;
  width: 236px;
  height: 29px;
  padding: 5px 10px;
  background: var(--sheet);
  z-index: 1;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  font-size: 12.5px;
  border-right: 1px solid var(--line);
}
.who a {
  color: var(--mul);
  text-decoration: none;
}
.cell {
  position: absolute;
  top: 0;
  height: 29px;
  font: inherit;
  font-size: 13px;
  text-align: right;
  padding: 0 8px;
  background: none;
  border: 0;
  color: var(--ink);
  cursor: pointer;
}
.cell:disabled {
  color: var(--mute);
  cursor: default;
}
.cell:hover:enabled {
  background: var(--soft);
}
.cell.low {
  font-weight: 700;
}
.cell.late {
  color: var(--wheat);
}
.tardy {
  font-size: 10px;
  margin-left: 3px;
}
.cell.chosen {
  background: var(--mul-soft);
  box-shadow: inset 0 -2px 0 var(--mul);
}
.cell.changed {
  background: var(--mul);
  color: var(--on-mul);
}
.cell.here {
  outline: 2px solid var(--mul);
  outline-offset: -2px;
}
.tray {
  border-top: 1px solid var(--line);
  background: var(--sheet);
  min-height: 58px;
  display: flex;
  align-items: center;
  gap: 22px;
  padding: 6px 18px;
}
.tray b {
  display: block;
  font-size: 15px;
  font-weight: 650;
}
.tray div span {
  font-size: 11px;
  color: var(--mute);
}
</style>
