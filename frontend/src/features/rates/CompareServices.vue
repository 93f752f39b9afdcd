<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { count, day, money } from "../../shared/format";
import { HandOverWays } from "../handover";
import PriceChart from "./PriceChart.vue";
import {
  lateWords,
  markWords,
  trackingQuality,
  type Cell,
  type Compared,
  type Point,
  type Service,
} from "./queries";

const props = defineProps<{
  compared: Compared;
  currency: string;
  editable: boolean;
  asking: boolean;
  failures: Record<string, string>;
  wants?: string[];
  sort?: "price" | "arrival" | "value";
  verb?: string;
}>();
const emit = defineEmits<{
  choose: [service: string, box: string];
  extra: [code: string];
  ask: [];
}>();
const opened = ref<string>();
const showRefused = ref(false);

const cellsOf = computed(() => {
  const found = new Map<string, Cell[]>();
  for (const cell of props.compared.cells)
    found.set(cell.service, [...(found.get(cell.service) ?? []), cell]);
  return found;
});
const HAND: Record<string, string> = { pickup: "Picked up", drop_off: "dropped off" };
interface Row {
  service: Service;
  cells: Cell[];
  best: Cell;
  usual: Cell;
}
function rowOf(service: Service): Row {
  const cells = cellsOf.value.get(service.code) ?? [];
  const usual = cells[0]!;
  return { service, cells, usual, best: cells.find((c) => c.box === service.best_box) ?? usual };
}
const WANTS: Record<string, (s: Service) => boolean> = {
  tracked: (s) => s.tracking !== "none",
  drop_off: (s) => s.handover.includes("drop_off"),
  point: (s) => s.to_point,
  duties_paid: (s) => s.duties_paid,
};
const rows = computed(() =>
  props.compared.services
    .filter((s) => (props.wants ?? []).every((w) => WANTS[w]?.(s) ?? true))
    .map(rowOf),
);
/** What a person would pay in the packaging as planned; another box stands behind, and is said where it is cheaper. */
const shown = (row: Row): Cell => (row.usual.quote ? row.usual : row.best);
const priced = computed(() => {
  const by = {
    price: (r: Row) => shown(r).quote!.net_minor,
    arrival: (r: Row) => Date.parse(shown(r).arrives ?? "9999-12-31"),
    value: (r: Row) => r.service.value_hundredths ?? Infinity,
  }[props.sort ?? "price"];
  return rows.value
    .filter((r) => shown(r).quote)
    .sort((a, b) => by(a) - by(b) || shown(a).quote!.net_minor - shown(b).quote!.net_minor);
});
const waiting = computed(() => rows.value.filter((r) => !shown(r).quote && shown(r).waits));
const refused = computed(() => rows.value.filter((r) => !shown(r).quote && !shown(r).waits));
const points = computed<Point[]>(() =>
  priced.value.map((r) => {
    const cell = shown(r);
    return {
      service: r.service.code,
      box: cell.box,
      name: r.service.name,
      net: cell.quote!.net_minor,
      arrives: cell.arrives!,
      frontier: r.service.on_frontier,
    };
  }),
);
const late = (cell: Cell): boolean =>
  Boolean(props.compared.promise && cell.arrives && cell.arrives > props.compared.promise);
function saves(row: Row): number {
  return row.usual.quote && row.best.quote
    ? row.usual.quote.net_minor - row.best.quote.net_minor
    : 0;
}
const column = (box: string) => props.compared.columns.find((c) => c.code === box);
const withBox = (cell: Cell) => cell.quote!.net_minor + (column(cell.box)?.cost_minor ?? 0);
watch(
  () => props.compared.live.length,
  (n) => {
    if (n && props.editable && !props.asking) emit("ask");
  },
  { immediate: true },
);
</script>

<template>
  <div>
    <PriceChart
      :offers="points"
      :promise="compared.promise"
      :currency="currency"
      :chosen="compared.chosen"
      @choose="editable && emit('choose', $event.service, $event.box)"
    />
    <p v-if="compared.extras.length" class="extras">
      <template v-for="e in compared.extras" :key="e.code">
        <button
          v-if="e.on || e.adds_minor !== null"
          type="button"
          class="chip"
          :aria-pressed="e.on"
          :disabled="!editable"
          @click="emit('extra', e.code)"
        >
          {{ e.name }}{{ " "
          }}<span v-if="e.adds_minor !== null" class="small mute">{{
            e.adds_minor ? `+${money(e.adds_minor, currency)}` : "included"
          }}</span>
        </button>
      </template>
    </p>
    <table class="plain-table offers">
      <thead>
        <tr>
          <th>Service</th>
          <th>Arrives</th>
          <th class="right">Price</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="r in priced" :key="r.service.code">
          <tr
            :class="{
              chosen: r.service.code === compared.chosen,
              back: !r.service.on_frontier && r.service.code !== compared.chosen,
            }"
          >
            <td>
              <button
                class="pick"
                type="button"
                :disabled="!editable"
                :aria-pressed="r.service.code === compared.chosen"
                :title="`${verb ?? 'Choose'} ${r.service.name}`"
                @click="emit('choose', r.service.code, shown(r).box)"
              >
                <span class="mono-gram">{{ r.service.monogram }}</span> {{ r.service.name }}
              </button>
              <span v-for="m in r.service.marks" :key="m" class="mark">{{
                markWords(m)
              }}</span><br />
              <button
                class="quiet tall"
                type="button"
                :aria-expanded="opened === r.service.code"
                @click="opened = opened === r.service.code ? undefined : r.service.code"
              >
                {{ shown(r).box_name
                }}{{
                  saves(r) > 0 ? `; ${money(saves(r), currency)} cheaper in ${r.best.box_name}` : ""
                }}
                ▾
              </button>
            </td>
            <td :class="{ press: late(shown(r)) }">
              {{ day(shown(r).arrives) }}<br /><span v-if="r.service.by_time" class="small mute"
                >by {{ r.service.by_time.slice(0, 5) }}</span
              ><span v-else-if="late(shown(r))" class="small">after the promise</span>
            </td>
            <td class="right">
              <b>{{ money(shown(r).quote!.net_minor, currency) }}</b><br /><span
                v-if="(shown(r).quote!.published_net_minor ?? 0) > shown(r).quote!.net_minor"
                class="small mute"
                >published {{ money(shown(r).quote!.published_net_minor, currency) }}</span
              >
            </td>
          </tr>
          <tr v-if="opened === r.service.code" class="inside">
            <td colspan="3">
              <div class="two">
                <div>
                  <h3>Why this price</h3>
                  <p v-for="(l, i) in shown(r).quote!.lines" :key="i" class="line">
                    <span
                      >{{ l.name }}<template v-if="l.parcel > 1">, parcel {{ l.parcel }}</template>
                      <span class="mute small">{{ l.basis }}</span></span
                    ><span>{{ money(l.amount_minor, currency) }}</span>
                  </p>
                  <p class="line mute">
                    <span>VAT on top</span
                    ><span>{{ money(shown(r).quote!.tax_minor, currency) }}</span>
                  </p>
                </div>
                <div>
                  <template v-if="r.cells.length > 1">
                    <h3>In each box, with what the box costs</h3>
                    <p v-for="c in r.cells" :key="c.box" class="line">
                      <button
                        v-if="c.quote"
                        class="link"
                        type="button"
                        :disabled="!editable"
                        @click="emit('choose', r.service.code, c.box)"
                      >
                        {{ c.box_name }}</button><span v-else class="mute"
                        >{{ c.box_name }}: {{ c.refused }}</span
                      >
                      <span v-if="c.quote"
                        >{{ money(c.quote.net_minor, currency) }}
                        <span class="mute small"
                          >{{ money(withBox(c), currency) }} with the box</span
                        ></span
                      >
                    </p>
                  </template>
                  <h3>What follows</h3>
                  <ul>
                    <li v-for="w in r.service.consequences" :key="w">{{ w }}</li>
                    <li>
                      {{ r.service.handover.map((h) => HAND[h] ?? h).join(" or ") }};
                      {{ trackingQuality(r.service.tracking) }}; {{ lateWords(r.service.lateness) }}
                    </li>
                  </ul>
                </div>
              </div>
              <HandOverWays
                v-if="shown(r).ship_date"
                :departures="[
                  {
                    carrier: r.service.carrier,
                    network: r.service.network_id,
                    day: shown(r).ship_date!,
                  },
                ]"
              />
            </td>
          </tr>
        </template>
        <tr v-if="!priced.length && !waiting.length">
          <td colspan="3" class="mute">
            No service takes it{{ (wants ?? []).length ? " with what you ask for" : "" }}; below is
            why.
          </td>
        </tr>
        <tr v-for="r in waiting" :key="r.service.code" class="back">
          <td>
            <span class="mono-gram">{{ r.service.monogram }}</span> {{ r.service.name }}
          </td>
          <td colspan="2" class="right">
            <s v-if="shown(r).stale_minor !== null" :title="`too old to go by`">{{
              money(shown(r).stale_minor, currency)
            }}</s>
            {{ asking ? "asking…" : failures[r.service.carrier] ? "no answer" : "not asked" }}
          </td>
        </tr>
        <tr v-if="waiting.length && !asking && editable">
          <td colspan="3">
            <span v-for="(f, code) in failures" :key="code" class="stop small">{{ f }}. </span
            ><button class="link" type="button" @click="emit('ask')">Ask again</button>
          </td>
        </tr>
        <tr v-if="refused.length && priced.length">
          <td colspan="3">
            <button
              class="quiet"
              type="button"
              :aria-expanded="showRefused"
              @click="showRefused = !showRefused"
            >
              {{ count(refused.length, "service") }} cannot take it:
              {{ showRefused ? "hide" : "show why" }}
            </button>
          </td>
        </tr>
        <tr
          v-for="r in showRefused || !priced.length ? refused : []"
          :key="r.service.code"
          class="back"
        >
          <td>
            <span class="mono-gram">{{ r.service.monogram }}</span> {{ r.service.name }}
          </td>
          <td colspan="2">{{ shown(r).refused }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.offers {
  margin-top: 4px;
}
.offers .chosen {
  background: var(--mul-soft);
  box-shadow: inset 3px 0 0 var(--mul);
}
.offers .back {
  color: var(--mute);
}
.pick {
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  padding: 2px 0;
  cursor: pointer;
  min-height: 24px;
  text-align: left;
}
.pick:disabled {
  cursor: default;
}
.pick:not(:disabled):hover {
  text-decoration: underline;
}
.mark {
  font-size: 11px;
  color: var(--mul);
  font-weight: 600;
  margin-left: 7px;
  white-space: nowrap;
}
.extras {
  display: flex;
  gap: 5px;
  flex-wrap: wrap;
  margin: 4px 0;
}
.extras .chip {
  font-size: 12px;
  padding: 3px 9px;
}
.inside > td {
  background: var(--paper);
  padding: 8px 12px 10px;
}
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(210px, 1fr));
  gap: 4px 24px;
}
h3 {
  font-size: 11.5px;
  font-weight: 500;
  color: var(--mute);
  margin: 6px 0 2px;
}
.line {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  margin: 1px 0;
  align-items: baseline;
}
.line > :last-child {
  white-space: nowrap;
}
ul {
  margin: 0;
  padding-left: 16px;
}
.offers td {
  padding: 2px 8px;
}
.tall {
  min-height: 24px;
  border: 0;
}
.offers td:nth-child(2) {
  white-space: nowrap;
}
</style>
