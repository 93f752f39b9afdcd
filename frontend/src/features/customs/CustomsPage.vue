<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import {
  chargedQuery,
  codesQuery,
  numbersQuery,
  replaceTables,
  setNumbers,
  tablesQuery,
} from "./queries";
import { money } from "../../shared/format";
import { useMe } from "../../shared/session";
import { DataTable, ErrorNote, FileLink } from "../../shared/ui";

/** The shop's numbers for customs, the tables it is reckoned by, and the search for a code. */
const client = useQueryClient();
const { currency, may } = useMe();
const { data: charged } = useQuery({ ...chargedQuery, enabled: computed(() => may("shipper")) });
const { data: numbers, error } = useQuery(numbersQuery);
const { data: tables } = useQuery(tablesQuery);
const typed = ref<Record<string, string>>({});
watch(numbers, (kept) => kept && (typed.value = { ...kept.numbers }), { immediate: true });
const saved = ref(false);
const keep = useMutation({
  mutationFn: () => setNumbers(typed.value),
  onSuccess: (fresh) => {
    client.setQueryData(numbersQuery.queryKey, fresh);
    saved.value = true;
  },
});
const bring = useMutation({
  mutationFn: replaceTables,
  onSuccess: (fresh) => client.setQueryData(tablesQuery.queryKey, fresh),
});
const { isPending: busy } = keep;
const words = ref("");
const { data: codes } = useQuery(computed(() => codesQuery(words.value)));
const NAMES: Record<string, string> = {
  exchange_rates: "Rates of exchange",
  places: "How countries value goods",
  reliefs: "Reliefs and thresholds",
  duties: "Duties",
  taxes: "Taxes on imports",
  agreements: "Trade agreements",
  papers: "Papers that are needed",
  numbers: "Numbers that are wanted",
  forbidden: "Goods not let in",
  fees: "Carriers' fees",
};
const rows = computed(() =>
  Object.entries(tables.value?.rows ?? {}).map(([table, count]) => ({ table, count })),
);
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Customs</h1>
      <span class="mute">Our numbers, and the tables that papers and duties are reckoned by</span>
    </div>
    <ErrorNote :error="error ?? keep.error.value ?? bring.error.value" />
    <h2>Our numbers</h2>
    <form v-if="numbers" class="numbers" @submit.prevent="keep.mutate()" @input="saved = false">
      <v-text-field
        v-for="(form, kind) in numbers.forms"
        :key="kind"
        v-model="typed[kind]"
        :label="String(kind)"
        :hint="form"
        persistent-hint
        maxlength="40"
        autocomplete="off"
        :disabled="!may()"
      />
      <p v-if="may()" class="wide">
        <v-btn type="submit" :loading="busy">Keep the numbers</v-btn>
        <span v-if="saved" class="fine" role="status"> ✓ Kept; waiting orders follow</span>
      </p>
    </form>
    <h2>Tables</h2>
    <p v-if="tables">
      {{ tables.name }}
      <b v-if="tables.sample" class="press">bring in your own before you rely on them</b>
    </p>
    <DataTable
      label="Tables"
      :columns="['Table', { title: 'Rows', figure: true }]"
      :rows="rows"
      :row-key="(r) => r.table"
      waiting="Fetching the tables…"
      none="No table holds a row."
      ><template #row="{ row: r }">
        <td>{{ NAMES[r.table] ?? r.table }}</td>
        <td class="right">{{ r.count }}</td>
      </template></DataTable
    >
    <p v-if="may()" class="row">
      <a class="link" href="/api/customs/tables.json">Take the tables as a file</a>
      <FileLink accept=".json" @file="bring.mutate($event)">Bring other tables in</FileLink
      ><span class="mute small">every row with its source, beginning and end</span>
    </p>
    <template v-if="charged?.length">
      <h2>Reckoned and charged</h2>
      <DataTable
        label="Reckoned and charged"
        :columns="[
          'To',
          { title: 'Parcels', figure: true },
          { title: 'Reckoned', figure: true },
          { title: 'Charged', figure: true },
        ]"
        :rows="charged"
        :row-key="(r) => r.to"
        ><template #row="{ row: r }">
          <td>{{ r.to }}</td>
          <td class="right">{{ r.parcels }}</td>
          <td class="right">{{ money(r.estimated_minor, currency) }}</td>
          <td class="right">{{ money(r.charged_minor, currency) }}</td>
        </template></DataTable
      >
    </template>
    <h2>Find a code</h2>
    <p class="row">
      <input
        v-model="words"
        aria-label="Everyday words"
        placeholder="Everyday words, or the first digits"
        maxlength="200"
      /><span v-if="words.trim().length > 2 && codes && !codes.length" class="mute"
        >nothing is known by these words</span
      >
    </p>
    <p v-for="c in codes ?? []" :key="c.code" class="hit">
      <b class="mono">{{ c.code }}</b> {{ c.text }}
      <span class="mute small">{{ c.path.join(" › ") }}, {{ c.why }}</span>
    </p>
  </div>
</template>

<style scoped>
.numbers {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 300px));
  gap: 10px 16px;
  margin-top: 10px;
}
.wide {
  grid-column: 1 / -1;
}
.hit {
  margin: 2px 0;
}
</style>
