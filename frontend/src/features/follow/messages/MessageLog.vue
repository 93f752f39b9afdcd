<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { logQuery, TRIGGERS, type Logged } from "./queries";
import { dayAndClock } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DataTable } from "../../../shared/ui";

/** Who was sent what, when and why; and what was not sent, and why not. */
const { zone } = useMe();
const search = ref("");
const settled = ref("");
let timer: number | undefined;
watch(search, (text) => {
  window.clearTimeout(timer);
  timer = window.setTimeout(() => (settled.value = text.trim()), 180);
});
const { data, error } = useQuery(computed(() => logQuery(settled.value)));
const open = ref<number>();
const STATES: Record<Logged["state"], string> = {
  sent: "✓ sent",
  not_sent: "not sent",
  held: "○ held",
  waits: "○ waits",
};
const name = (m: Logged) => TRIGGERS.find((t) => t.trigger === m.trigger)?.name ?? m.subject;
</script>

<template>
  <v-text-field
    v-model="search"
    v-first
    class="search"
    label="An order, an address, a subject"
    clearable
  />
  <DataTable
    label="Messages"
    :columns="['When', 'Order', 'What', 'To', 'Why', 'What became of it']"
    :rows="data"
    :row-key="(m) => m.id"
    :error="error"
    none="Nothing was sent yet. Who buys a label tells its buyer, as “What is told” has it."
  >
    <template #row="{ row: m }">
      <td class="nowrap">{{ dayAndClock(m.at, zone) }}</td>
      <td>
        <RouterLink class="plain mono" :to="`/orders/${m.order_id}?view=all`">{{
          m.order_number
        }}</RouterLink>
      </td>
      <td>
        <button
          type="button"
          class="link"
          :aria-expanded="open === m.id"
          @click="open = open === m.id ? undefined : m.id"
        >
          {{ name(m) }}
        </button>
        <p v-if="open === m.id" class="words">
          <b v-if="m.by === 'mail'">{{ m.subject }}<br /></b>{{ m.body }}
        </p>
      </td>
      <td>{{ m.by === "sms" ? "SMS " : "" }}{{ m.recipient || "nobody" }}</td>
      <td class="mute">{{ m.reason }}</td>
      <td :class="{ press: m.state === 'not_sent', mute: m.state === 'waits' }">
        {{ STATES[m.state] }}{{ m.why ? `: ${m.why}` : "" }}
      </td>
    </template>
  </DataTable>
</template>

<style scoped>
.search {
  max-width: 340px;
  margin-bottom: 10px;
}
.words {
  max-width: 520px;
  margin: 6px 0;
  padding: 8px 12px;
  white-space: pre-line;
  background: var(--soft);
}
</style>
