<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { words } from "../../api/client";
import { day } from "../../shared/format";
import { orderQuery, type OrderRow } from "./queries";

const props = defineProps<{ row: OrderRow }>();
const emit = defineEmits<{ close: [] }>();
const { data: sheet, error } = useQuery(computed(() => orderQuery(props.row.id)));
const NAMES: Record<string, string> = { packaging: "Packaging", service: "Service", weight: "Gross weight", ship_date: "Ship date", price: "Price", extras: "Extras" };
</script>

<template>
  <v-dialog :model-value="true" max-width="640" aria-label="Why this plan" @update:model-value="emit('close')">
    <v-card>
      <div class="dialog-head">Why this plan for {{ row.number }}</div>
      <div class="dialog-body">
        <p v-if="error" class="note bad">{{ words(error) }}</p>
        <table v-if="sheet" class="plain-table">
          <thead><tr><th>What</th><th>Is</th><th>Set by</th><th>Why</th></tr></thead>
          <tbody>
            <template v-for="(steps, field) in sheet.trail" :key="field">
              <tr v-for="(step, i) in [...steps].reverse()" :key="`${field}${i}`" :class="{ over: i > 0 }">
                <td>{{ i === 0 ? (NAMES[field] ?? field) : "" }}</td>
                <td><component :is="i > 0 ? 's' : 'b'">{{ field === 'ship_date' ? day(step.value) : step.value }}</component></td>
                <td class="nowrap">{{ step.layer }}</td>
                <td class="mute">{{ i > 0 ? "overridden: " : "" }}{{ step.why }}</td>
              </tr>
            </template>
          </tbody>
        </table>
        <p v-if="sheet && !Object.keys(sheet.trail).length" class="mute">This order has no plan yet. Its snags: {{ row.snags.map((s) => s.words).join("; ") || "none" }}.</p>
        <p class="mute small">Shop defaults are changed in Set-up, for all orders. For this order alone, open it and choose.</p>
      </div>
      <div class="dialog-actions"><v-btn variant="text" @click="emit('close')">Close</v-btn></div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.nowrap { white-space: nowrap; }
.over { color: var(--mute); }
</style>
