<script setup lang="ts">
import { computed, nextTick, ref, shallowRef } from "vue";
import { type By, type RateTable, type Tried } from "./offers";
import { amountText, count, minorOf } from "../../../shared/format";
import { SelectField } from "../../../shared/ui";

/** A rate table edited like a spreadsheet: arrows, blocks pasted, a cell filled down, undo; what is wrong is marked where it is.
 * Only the rows in sight are drawn, so that five thousand are no heavier than fifty. */
const props = defineProps<{
  table: RateTable;
  faults: Tried["faults"][string];
  currency: string;
  editable: boolean;
}>();
const emit = defineEmits<{ change: [table: RateTable]; remove: [] }>();
const BYS: { value: By; title: string }[] = [
  { value: "weight_g", title: "by weight, kg" },
  { value: "value", title: "by value" },
  { value: "items", title: "by pieces" },
  { value: "volume_cm3", title: "by volume, litres" },
];
const SCALE: Record<By, number> = { weight_g: 1000, value: 1, items: 1, volume_cm3: 1000 };
const WORDS = ["name", "countries", "postcodes"] as const;
const HEADS = ["Called", "Countries", "Postcodes"];
const ROW = 33;
const SEEN = 14;
const before = shallowRef<RateTable[]>([]);
const box = ref<HTMLElement>();
const top = ref(0);
const first = computed(() => Math.max(Math.floor(top.value / ROW) - 4, 0));
const rows = computed(() => props.table.rows.slice(first.value, first.value + SEEN + 8));
const marks = computed(() => {
  const found = new Map<string, string>();
  for (const f of props.faults)
    if (f.row !== null) found.set(f.band === null ? `${f.row}` : `${f.row} ${f.band}`, f.words);
  return found;
});
const bandText = (end: number) =>
  props.table.by === "value"
    ? amountText(end, props.currency)
    : String(end / SCALE[props.table.by]);
function bandOf(text: string): number | undefined {
  if (props.table.by === "value") return minorOf(text, props.currency);
  const value = Math.round(Number(text.replace(",", ".")) * SCALE[props.table.by]);
  return Number.isFinite(value) && value > 0 ? value : undefined;
}
function cell(row: number, column: number): string {
  const r = props.table.rows[row]!;
  const word = WORDS[column];
  if (word) return r[word] ?? "";
  const price = r.prices[column - WORDS.length];
  return typeof price === "number" ? amountText(price, props.currency) : "";
}
/** Take another state of the table; the one before can be had back. */
function take(table: RateTable): void {
  before.value = [...before.value.slice(-49), props.table];
  emit("change", table);
}
function undo(): void {
  const last = before.value.at(-1);
  if (!last) return;
  before.value = before.value.slice(0, -1);
  emit("change", last);
}
/** Put a block of texts into the table with its first cell here; rows that are missing are made. */
function put(row: number, column: number, block: string[][]): void {
  const all = [...props.table.rows];
  block.forEach((texts, dy) => {
    while (all.length <= row + dy) all.push({ countries: "", postcodes: "", name: "", prices: [] });
    const r = { ...all[row + dy]!, prices: [...all[row + dy]!.prices] };
    all[row + dy] = r;
    texts.forEach((text, dx) => {
      const word = WORDS[column + dx];
      if (word) r[word] = text.trim();
      else {
        const band = column + dx - WORDS.length;
        if (band >= props.table.bands.length) return;
        while (r.prices.length <= band) r.prices.push(null);
        r.prices[band] = text.trim() ? (minorOf(text, props.currency) ?? null) : null;
      }
    });
  });
  take({ ...props.table, rows: all });
}
function pasted(event: ClipboardEvent, row: number, column: number): void {
  const text = event.clipboardData?.getData("text/plain") ?? "";
  if (!/[\t\n]/.test(text.trim())) return;
  event.preventDefault();
  put(
    row,
    column,
    text
      .replace(/\r/g, "")
      .replace(/\n$/, "")
      .split("\n")
      .map((line) => line.split("\t")),
  );
}
async function go(row: number, column: number): Promise<void> {
  const at = Math.min(Math.max(row, 0), props.table.rows.length - 1);
  const there = box.value;
  if (there) {
    if (at * ROW < there.scrollTop + ROW) there.scrollTop = Math.max(at * ROW - ROW, 0);
    else if ((at + 3) * ROW > there.scrollTop + there.clientHeight)
      there.scrollTop = (at + 3) * ROW - there.clientHeight;
    top.value = there.scrollTop;
  }
  await nextTick();
  const field = there?.querySelector<HTMLInputElement>(`[data-cell="${at}-${column}"]`);
  field?.focus();
  field?.select();
}
function pressed(event: KeyboardEvent, row: number, column: number): void {
  const field = event.target as HTMLInputElement;
  const control = event.ctrlKey || event.metaKey;
  if (event.key === "ArrowDown" || event.key === "Enter") {
    event.preventDefault();
    field.blur();
    void go(row + 1, column);
  } else if (event.key === "ArrowUp") {
    event.preventDefault();
    field.blur();
    void go(row - 1, column);
  } else if (control && event.key === "d" && row > 0) {
    event.preventDefault();
    put(row, column, [[cell(row - 1, column)]]);
  } else if (control && event.key === "z" && field.value === cell(row, column)) {
    event.preventDefault();
    undo();
  }
}
function changed(event: Event, row: number, column: number): void {
  const text = (event.target as HTMLInputElement).value;
  if (text !== cell(row, column)) put(row, column, [[text]]);
}
function setBand(place: number, text: string): void {
  const end = bandOf(text);
  if (end === undefined) return;
  take({ ...props.table, bands: props.table.bands.map((b, n) => (n === place ? end : b)) });
}
function addBand(): void {
  const last = props.table.bands.at(-1) ?? SCALE[props.table.by];
  take({ ...props.table, bands: [...props.table.bands, last * 2] });
}
function dropBand(): void {
  take({
    ...props.table,
    bands: props.table.bands.slice(0, -1),
    rows: props.table.rows.map((r) => ({
      ...r,
      prices: r.prices.slice(0, props.table.bands.length - 1),
    })),
  });
}
const addRow = () =>
  take({
    ...props.table,
    rows: [...props.table.rows, { countries: "", postcodes: "", name: "", prices: [] }],
  });
const dropRow = (row: number) =>
  take({ ...props.table, rows: props.table.rows.filter((_, n) => n !== row) });
const worst = computed(() => props.faults.slice(0, 4));
</script>

<template>
  <section class="panel table" :aria-label="`Rate table ${table.name}`">
    <div class="head">
      <h2>{{ table.name }}</h2>
      <SelectField
        label="Measured by"
        :model-value="table.by"
        :items="BYS"
        :disabled="!editable"
        @update:model-value="take({ ...table, by: $event })"
      />
      <span class="grow" />
      <template v-if="editable">
        <button type="button" class="link" :disabled="!before.length" @click="undo">Undo</button>
        <button type="button" class="link" @click="addRow">Add a row</button>
        <button type="button" class="link" @click="addBand">Add a band</button>
        <button v-if="table.bands.length > 1" type="button" class="link" @click="dropBand">
          Drop the last band
        </button>
      </template>
    </div>
    <div
      ref="box"
      class="grid"
      tabindex="0"
      role="region"
      :aria-label="`Rows of ${table.name}`"
      @scroll="top = ($event.target as HTMLElement).scrollTop"
    >
      <table>
        <thead>
          <tr>
            <th v-for="h in HEADS" :key="h">{{ h }}</th>
            <th v-for="(end, n) in table.bands" :key="n" class="right">
              to
              <input
                class="band"
                :value="bandText(end)"
                :disabled="!editable"
                :aria-label="`Band ${n + 1} ends at`"
                @change="setBand(n, ($event.target as HTMLInputElement).value)"
              />
            </th>
            <th><span class="away">Row</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-if="first" :style="{ height: `${first * ROW}px` }" aria-hidden="true" />
          <tr v-for="(_, n) in rows" :key="first + n" :class="{ wrong: marks.has(`${first + n}`) }">
            <td v-for="c in WORDS.length + table.bands.length" :key="c">
              <input
                :data-cell="`${first + n}-${c - 1}`"
                :class="{
                  figure: c > WORDS.length,
                  hole: marks.has(`${first + n} ${c - 1 - WORDS.length}`),
                }"
                :value="cell(first + n, c - 1)"
                :disabled="!editable"
                :title="
                  marks.get(`${first + n} ${c - 1 - WORDS.length}`) ?? marks.get(`${first + n}`)
                "
                :aria-label="`${HEADS[c - 1] ?? `Price, band ${c - WORDS.length}`}, row ${first + n + 1}`"
                @change="changed($event, first + n, c - 1)"
                @keydown="pressed($event, first + n, c - 1)"
                @paste="pasted($event, first + n, c - 1)"
              />
            </td>
            <td>
              <button
                v-if="editable"
                type="button"
                class="link"
                :aria-label="`Drop row ${first + n + 1}`"
                @click="dropRow(first + n)"
              >
                ✕
              </button>
            </td>
          </tr>
          <tr
            v-if="first + rows.length < table.rows.length"
            :style="{ height: `${(table.rows.length - first - rows.length) * ROW}px` }"
            aria-hidden="true"
          />
        </tbody>
      </table>
    </div>
    <p class="small mute">
      {{ count(table.rows.length, "row") }}; the {{ table.narrowest ? "narrowest" : "first" }} that
      holds counts. Paste a block from a spreadsheet into any cell. Ctrl+D fills down, Ctrl+Z takes
      back.
      <button
        v-if="editable"
        type="button"
        class="link"
        @click="take({ ...table, narrowest: !table.narrowest })"
      >
        {{ table.narrowest ? "Let the first count" : "Let the narrowest count" }}
      </button>
      <button v-if="editable" type="button" class="link" @click="emit('remove')">
        Take the table away
      </button>
    </p>
    <p v-for="f in worst" :key="f.words + f.row + f.band" class="stop small">
      {{ f.row === null ? "" : `Row ${f.row + 1}`
      }}{{ f.band === null ? "" : `, band ${f.band + 1}` }}: {{ f.words }}.
    </p>
    <p v-if="faults.length > worst.length" class="stop small">
      And {{ faults.length - worst.length }} more.
    </p>
  </section>
</template>

<style scoped>
.table {
  margin-top: 16px;
  padding: 10px 14px;
}
.head {
  flex-wrap: wrap;
  gap: 12px;
  margin: 0 0 6px;
}
.grid {
  max-height: 462px;
  overflow: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
}
thead th {
  position: sticky;
  top: 0;
  z-index: 1;
  padding: 2px 4px;
  font-size: 12px;
  font-weight: 500;
  color: var(--mute);
  text-align: left;
  white-space: nowrap;
  background: var(--sheet);
}
tbody tr {
  height: 33px;
}
td {
  padding: 1px;
  border-top: 1px solid var(--line);
}
input {
  width: 100%;
  min-width: 66px;
  height: 29px;
  padding: 0 6px;
  font: inherit;
  color: inherit;
  background: none;
  border: 1px solid transparent;
}
input:focus {
  border-color: var(--mul);
  outline: none;
}
td:nth-child(1) input {
  min-width: 120px;
}
td:nth-child(2) input,
td:nth-child(3) input {
  min-width: 104px;
}
td .link {
  min-width: 26px;
  min-height: 26px;
}
.figure,
.band {
  text-align: right;
}
.band {
  width: 64px;
  min-width: 0;
  height: 26px;
  border-bottom-color: var(--line);
}
.hole {
  background: var(--brick-soft);
}
.wrong input {
  color: var(--brick);
}
.away {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
