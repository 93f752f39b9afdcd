<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { listsQuery, clearancesQuery, tryNameQuery } from "../queries";
import { sendFile, type Schemas } from "../../../api/client";
import { count, dayAndClock } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { ErrorNote } from "../../../shared/ui";

const client = useQueryClient();
const { may, zone } = useMe();
const { data: lists, error, isPending } = useQuery(listsQuery);
const { data: clearances } = useQuery(clearancesQuery);
const name = ref("");
const { data: matches } = useQuery(computed(() => tryNameQuery(name.value)));
const source = ref("");
const bring = useMutation({
  mutationFn: async (file: File) =>
    sendFile<Schemas["WorkOut"]>(
      `/api/restricted?source=${encodeURIComponent(source.value || file.name)}`,
      file,
    ),
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
    <ErrorNote :error="error ?? bring.error.value" />
    <p v-if="isPending" class="empty">Fetching the lists…</p>
    <table v-else class="plain-table panel">
      <thead>
        <tr>
          <th>List</th>
          <th class="right">Entries</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="l in lists ?? []" :key="l.source">
          <td>{{ l.source }}</td>
          <td class="right">{{ l.entries.toLocaleString("en-GB") }}</td>
        </tr>
        <tr v-if="!lists?.length">
          <td colspan="2" class="mute">No list yet, so nobody is compared.</td>
        </tr>
      </tbody>
    </table>
    <p v-if="may()" class="row">
      <input
        v-model="source"
        aria-label="Name of the list"
        placeholder="Name of the list"
        maxlength="80"
      /><label class="link"
        >Bring a list in<input
          class="visually-hidden"
          type="file"
          accept=".csv,.xlsx"
          @change="
            ($event.target as HTMLInputElement).files?.[0] &&
            bring.mutate(($event.target as HTMLInputElement).files![0]!)
          " /></label
      ><span class="mute small"
        >columns key, names (with semicolons), country; a list of the same name is replaced</span
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
    <table class="plain-table panel">
      <thead>
        <tr>
          <th>When</th>
          <th>Order</th>
          <th>Near match</th>
          <th>Why it was cleared</th>
          <th>By</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="c in clearances ?? []" :key="c.at + c.party">
          <td>{{ dayAndClock(c.at, zone) }}</td>
          <td>
            <RouterLink class="link mono" :to="`/orders/${c.order_id}`">{{
              c.order_number
            }}</RouterLink>
          </td>
          <td>{{ c.words }}</td>
          <td>{{ c.reason }}</td>
          <td>{{ c.who }}</td>
        </tr>
        <tr v-if="!clearances?.length">
          <td colspan="5" class="mute">Nothing was cleared yet.</td>
        </tr>
      </tbody>
    </table>
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
