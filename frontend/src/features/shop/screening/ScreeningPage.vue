<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { bringParties, listsQuery, clearancesQuery, tryNameQuery } from "../queries";
import { count, dayAndClock } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DataTable, ErrorNote, FileLink } from "../../../shared/ui";

const client = useQueryClient();
const { may, zone } = useMe();
const { data: lists, error } = useQuery(listsQuery);
const { data: clearances } = useQuery(clearancesQuery);
const name = ref("");
const { data: matches } = useQuery(computed(() => tryNameQuery(name.value)));
const source = ref("");
const bring = useMutation({
  mutationFn: (file: File) => bringParties(source.value || file.name, file),
  onSuccess: () => client.invalidateQueries(),
});
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Screening</h1>
      <span class="mute"
        >Recipients are compared with lists of restricted parties; a near match stops the order
        until somebody clears it</span
      >
    </div>
    <ErrorNote :error="bring.error.value" />
    <DataTable
      label="Lists"
      :error="error"
      :columns="['List', { title: 'Entries', figure: true }]"
      :rows="lists"
      :row-key="(l) => l.source"
      waiting="Fetching the lists…"
      none="No list yet, so nobody is compared."
      ><template #row="{ row: l }">
        <td>{{ l.source }}</td>
        <td class="right">{{ l.entries.toLocaleString("en-GB") }}</td>
      </template></DataTable
    >
    <p v-if="may()" class="row">
      <input
        v-model="source"
        aria-label="Name of the list"
        placeholder="Name of the list"
        maxlength="80"
      /><FileLink accept=".csv,.xlsx" @file="bring.mutate($event)">Bring a list in</FileLink
      ><span class="mute small"
        >columns key, names and addresses (with semicolons), country; a list of the same name is
        replaced</span
      >
    </p>
    <h2>Try a name</h2>
    <p class="row">
      <input
        v-model="name"
        aria-label="Name to try"
        placeholder="A name or company"
        maxlength="120"
      /><span v-if="name.trim().length > 3 && !matches?.length" class="fine"
        >like nobody on the lists</span
      >
    </p>
    <p v-for="m in matches ?? []" :key="m.key" class="snag">
      {{ m.words }} ({{ m.score }} %)
      <span class="mute small">{{ m.names.join("; ") }} {{ m.country }}</span>
    </p>
    <h2>Cleared</h2>
    <DataTable
      label="Cleared"
      :columns="['When', 'Order', 'Near match', 'Why it was cleared', 'By']"
      :rows="clearances"
      :row-key="(c) => c.at + c.party"
      none="Nothing was cleared yet."
      ><template #row="{ row: c }">
        <td>{{ dayAndClock(c.at, zone) }}</td>
        <td>
          <RouterLink class="link mono" :to="`/orders/${c.order_id}`">{{
            c.order_number
          }}</RouterLink>
        </td>
        <td>{{ c.words }}</td>
        <td>{{ c.reason }}</td>
        <td>{{ c.who }}</td>
      </template></DataTable
    >
    <p class="mute small">
      {{ count(clearances?.length ?? 0, "decision") }} on record; none can be changed.
    </p>
  </div>
</template>

<style scoped>
h2 {
  margin: 16px 0 6px;
}
.row {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
input:not([type="file"]) {
  font: inherit;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 4px 10px;
  width: 230px;
}
</style>
