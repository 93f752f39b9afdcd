<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import {
  bringOrders,
  readOtherwise,
  setColumns,
  correctRows,
  undoImport,
  runImport,
  importQuery,
} from "../queries";
import ColumnChoice from "./ColumnChoice.vue";
import ColumnsAsked from "./ColumnsAsked.vue";
import DifferingOrders from "./DifferingOrders.vue";
import EarlierImports from "./EarlierImports.vue";
import ReadingChoice from "./ReadingChoice.vue";
import StatesSaid from "./StatesSaid.vue";
import type { Schemas } from "../../../api/client";
import { count, number } from "../../../shared/format";
import { ErrorNote, FormDialog } from "../../../shared/ui";
import { fieldWords } from "./fields";

type Import = Schemas["ImportOut"];
const route = useRoute();
const router = useRouter();
const client = useQueryClient();
const id = computed(() => Number(route.params.id ?? 0));
const dropping = ref(false);
const LARGEST = 20_000_000;
const { data: made, error } = useQuery(computed(() => importQuery(id.value)));
function keep(fresh: Import): void {
  client.setQueryData(["import", fresh.id], fresh);
}
const upload = useMutation({
  mutationFn: async (file: File) => {
    if (file.size > LARGEST)
      throw new Error(`${file.name} is larger than 20 MB. Split it into several files.`);
    return bringOrders(file);
  },
  onSuccess: async (fresh) => {
    keep(fresh);
    await router.push(`/import/${fresh.id}`);
  },
});
// Each answer starts from what the one before it made of the file, however quickly they follow one another.
const inTurn = { scope: { id: "import" } };
const remap = useMutation({
  ...inTurn,
  mutationFn: async ([field, column]: [string, number | null]) => {
    const columns = { ...made.value!.columns };
    for (const [key, taken] of Object.entries(columns)) if (taken === column) delete columns[key];
    if (column === null) delete columns[field];
    else columns[field] = column;
    return await setColumns(id.value, { columns });
  },
  onSuccess: keep,
});
const unit = useMutation({
  ...inTurn,
  mutationFn: async (weight_unit: "g" | "kg" | "lb" | "oz") =>
    await setColumns(id.value, { columns: made.value!.columns, weight_unit }),
  onSuccess: keep,
});
const decimal = useMutation({
  ...inTurn,
  mutationFn: async (sign: Import["decimal"]) =>
    await setColumns(id.value, { columns: made.value!.columns, decimal: sign }),
  onSuccess: keep,
});
const days = useMutation({
  ...inTurn,
  mutationFn: async (first: Import["days"]) =>
    await setColumns(id.value, { columns: made.value!.columns, days: first }),
  onSuccess: keep,
});
const states = useMutation({
  ...inTurn,
  mutationFn: async (said: Record<string, "open" | "not">) =>
    await setColumns(id.value, { columns: made.value!.columns, states: said }),
  onSuccess: keep,
});
const leaveOut = useMutation({
  ...inTurn,
  mutationFn: async (headings: string[]) =>
    await setColumns(id.value, { columns: made.value!.columns, left_out: headings }),
  onSuccess: keep,
});
const asks = computed(
  () => !!made.value && (made.value.missing.length > 0 || made.value.unread.some((u) => u.asked)),
);
const reread = useMutation({
  ...inTurn,
  mutationFn: (reading: Schemas["ReadingIn"]) => readOtherwise(id.value, reading),
  onSuccess: keep,
});
const correcting = ref<{ row: number; cells: string[] }>();
const correct = useMutation({
  ...inTurn,
  mutationFn: () =>
    correctRows(id.value, { rows: { [correcting.value!.row]: correcting.value!.cells } }),
  onSuccess: (fresh) => {
    correcting.value = undefined;
    keep(fresh);
  },
});
const takeBack = useMutation({
  mutationFn: () => undoImport(id.value),
  onSuccess: () => {
    for (const key of ["orders", "today", "import"])
      void client.invalidateQueries({ queryKey: [key] });
  },
});
const columnName = (at: number) =>
  fieldWords(Object.entries(made.value?.columns ?? {}).find(([, c]) => c === at)?.[0] ?? "") ||
  made.value?.headers[at] ||
  `column ${at + 1}`;
const run = useMutation({
  ...inTurn,
  mutationFn: () => runImport(id.value),
  onSuccess: (fresh) => {
    keep(fresh);
    for (const key of ["orders", "today"]) void client.invalidateQueries({ queryKey: [key] });
  },
});
function picked(files: FileList | null | undefined): void {
  dropping.value = false;
  const file = files?.[0];
  if (file) upload.mutate(file);
}
const failure = computed(
  () =>
    error.value ??
    [upload, remap, unit, decimal, days, states, leaveOut, reread, run, correct, takeBack].find(
      (m) => m.error.value,
    )?.error.value,
);
const faultRows = computed(() => {
  const rows = new Map<number, string[]>();
  for (const f of made.value?.faults ?? []) rows.set(f.row, [...(rows.get(f.row) ?? []), f.words]);
  return [...rows.entries()];
});
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Import orders</h1>
      <span class="mute">{{
        made ? `${made.file_name} · read as ${made.read_as}` : "CSV or XLSX from anywhere"
      }}</span>
      <span class="grow" />
      <RouterLink v-if="id" class="link" to="/import">Another file</RouterLink>
    </div>
    <ErrorNote :error="failure" />
    <template v-if="!id">
      <!-- eslint-disable-next-line vuejs-accessibility/no-static-element-interactions -- dropping is a second way: the field inside takes the keyboard -->
      <label
        class="drop"
        :class="{ over: dropping }"
        @dragover.prevent="dropping = true"
        @dragleave="dropping = false"
        @drop.prevent="picked($event.dataTransfer?.files)"
      >
        <input
          type="file"
          accept=".csv,.txt,.tsv,.xlsx,.xls,.ods"
          class="visually-hidden"
          @change="picked(($event.target as HTMLInputElement).files)"
        />
        <b>{{ upload.isPending.value ? "Reading…" : "Choose a file, or drop it here" }}</b>
        <span class="mute"
          >Delimiter, encoding and header are found. Nothing is imported before you have seen
          it.</span
        >
      </label>
      <p>
        Sample files: <a class="link" href="/api/import-samples/clean">a clean one</a>
        <a class="link" href="/api/import-samples/messy">one as messy as real ones</a>
        <a class="link" href="/api/import-samples/template">an empty template</a>
      </p>
      <EarlierImports />
    </template>
    <template v-else-if="made">
      <p v-if="made.state === 'done'" class="note" role="status">
        <b>{{ count(made.made, "order") }} imported.</b>
        {{ made.already ? `${count(made.already, "order")} here already, left alone.` : "" }}
        {{
          made.changed
            ? `${count(made.changed, "order")} of these are otherwise in the file: look at their snags.`
            : ""
        }}
        {{ faultRows.length ? `${count(faultRows.length, "row")} kept back, below.` : "" }}
        <RouterLink class="link" to="/orders">See the orders</RouterLink>
        <button v-if="made.made" class="link" type="button" @click="takeBack.mutate()">
          Take this import back
        </button>
      </p>
      <p v-if="made.state === 'running'" class="note" role="status">
        <b>{{ made.progress.toLocaleString("en-GB") }} of {{ count(made.total, "order") }}</b>
        imported so far. You can leave this page; it goes on.
      </p>
      <p v-if="made.state === 'undone'" class="note" role="status">
        This import was taken back. The file is still here and can be imported again.
      </p>
      <ReadingChoice
        :made="made"
        :busy="reread.isPending.value"
        @read="reread.mutate($event)"
        @decimal="decimal.mutate($event)"
        @days="days.mutate($event)"
      />
      <ColumnsAsked
        v-if="made.state !== 'running'"
        :made="made"
        :busy="leaveOut.isPending.value || remap.isPending.value"
        @map="(field, column) => remap.mutate([field, column])"
        @leave-out="leaveOut.mutate($event)"
      />
      <div class="two">
        <ColumnChoice
          :made="made"
          @map="(field, column) => remap.mutate([field, column])"
          @unit="unit.mutate($event)"
        />
        <section>
          <div class="head">
            <h2>
              {{ count(made.good, "good order") }}, {{ count(faultRows.length, "row") }} kept back
              <span v-if="made.looked_at < made.row_count" class="mute small"
                >in the first {{ number(made.looked_at) }} of {{ number(made.row_count) }} rows; the
                rest is read when it is imported</span
              >
            </h2>
            <span class="grow" />
            <v-btn
              :disabled="asks || made.good === 0 || made.state === 'running'"
              :loading="run.isPending.value"
              @click="run.mutate()"
              >{{ made.state === "done" ? "Import again" : "Import" }}
              {{
                made.looked_at < made.row_count
                  ? `all ${number(made.row_count)} rows`
                  : count(made.good, "order")
              }}</v-btn
            >
          </div>
          <StatesSaid
            v-if="made.states.length"
            :states="made.states"
            :open="made.state === 'mapping' || made.state === 'undone' || made.state === 'done'"
            @say="(text, means) => states.mutate({ [text]: means })"
          />
          <table v-if="faultRows.length" class="plain-table" aria-label="Rows kept back">
            <thead>
              <tr>
                <th>Row</th>
                <th>What is wrong</th>
                <th>What it says</th>
                <th></th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="[row, said] in faultRows" :key="row">
                <td class="right">{{ row }}</td>
                <td>
                  <div v-for="w in said" :key="w" class="snag">{{ w }}</div>
                </td>
                <td class="mute small cell">
                  {{ (made.fault_rows[row] ?? []).filter(Boolean).slice(0, 6).join(" · ") }}
                </td>
                <td class="right">
                  <button
                    v-if="made.fault_rows[row]"
                    class="link"
                    type="button"
                    @click="correcting = { row, cells: [...made.fault_rows[row]!] }"
                  >
                    Correct
                  </button>
                </td>
              </tr>
            </tbody>
          </table>
          <p v-if="made.strange.length" class="note" role="status">
            {{ count(made.strange.length, "number") }} of this file
            {{ made.strange.length === 1 ? "is" : "are" }} here already with another buyer, so
            another shop's: {{ made.strange.slice(0, 5).join(", ")
            }}{{ made.strange.length > 5 ? " and more" : "" }}. They become orders of their own,
            under the next spreadsheet channel.
          </p>
          <DifferingOrders v-if="made.differing.length" :differing="made.differing" />
          <h2 class="gap">Good orders</h2>
          <p v-if="!made.preview.length" class="mute">
            None yet: answer what is asked, or map the columns on the left.
          </p>
          <table v-else class="plain-table" aria-label="Good orders">
            <thead>
              <tr>
                <th>Order</th>
                <th>To</th>
                <th>Items</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="o in made.preview" :key="o.number">
                <td class="mono">{{ o.number }}</td>
                <td>
                  {{ o.recipient }}<br /><span class="small mute">{{ o.destination }}</span>
                </td>
                <td>{{ o.items }}</td>
              </tr>
            </tbody>
          </table>
        </section>
      </div>
    </template>
    <FormDialog
      v-if="correcting && made"
      title="Correct a row"
      :width="640"
      @close="correcting = undefined"
      @send="correct.mutate()"
    >
      <template #title>Row {{ correcting.row }}</template>
      <p
        v-for="w in faultRows.find(([r]) => r === correcting!.row)?.[1] ?? []"
        :key="w"
        class="snag"
      >
        {{ w }}
      </p>
      <div class="form-grid">
        <v-text-field
          v-for="i in made.headers.keys()"
          :key="i"
          v-model="correcting.cells[i]"
          class="w3"
          :label="columnName(i)"
          maxlength="500"
        />
      </div>
      <p class="mute small">
        The file itself stays as it was; import again to take the corrected row.
      </p>
      <template #actions
        ><v-btn type="submit" :loading="correct.isPending.value">Correct the row</v-btn></template
      >
    </FormDialog>
  </div>
</template>

<style scoped>
.drop {
  display: grid;
  gap: 4px;
  place-items: center;
  padding: 56px;
  border: 1.5px dashed var(--todo);
  background: var(--sheet);
  cursor: pointer;
  margin-bottom: 12px;
}
.drop.over,
.drop:focus-within {
  border-color: var(--mul);
  background: var(--mul-soft);
}
.two {
  display: grid;
  grid-template-columns: 470px minmax(0, 1fr);
  gap: 28px;
}
.cell {
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.gap {
  margin-top: 18px;
}
@media (max-width: 1100px) {
  .two {
    grid-template-columns: 1fr;
  }
}
</style>
