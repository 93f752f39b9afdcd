<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { day } from "../../../shared/format";
import { FormDialog } from "../../../shared/ui";
import { orderQuery, type OrderRow } from "../queries";

const props = defineProps<{ row: OrderRow }>();
const emit = defineEmits<{ close: [] }>();
const { data: sheet, error } = useQuery(computed(() => orderQuery(props.row.id)));
const NAMES: Record<string, string> = {
  packaging: "Packaging",
  weight: "Gross weight",
  split: "Division",
  service: "Service",
  extras: "Extras",
  ship_date: "Ship date",
  price: "Price",
  recipe: "Recipe",
  value: "Value",
  desk: "Desk",
  tags: "Tags",
  hold: "Held",
  leave_out: "Left out",
  approval: "Approval",
  rules: "Rules",
};
const SOURCES: Record<string, string> = {
  "shop default": "/rules",
  "product default": "/set-up/products",
  "promise link": "/rules",
  precedent: "/rules",
  rule: "/rules",
};
const fields = computed(() => Object.keys(NAMES).filter((f) => sheet.value?.trail[f]?.length));
const shown = (field: string, value: string) =>
  field === "ship_date" && /^\d{4}-\d\d-\d\d$/.test(value) ? day(value) : value;
</script>

<template>
  <FormDialog
    title="Why this plan"
    :width="640"
    closes="Close"
    :error="error"
    @close="emit('close')"
    @send="emit('close')"
    ><template #title>Why this plan for {{ row.number }}</template>
    <table v-if="sheet" class="plain-table">
      <thead>
        <tr>
          <th>What</th>
          <th>Is</th>
          <th>Set by</th>
          <th>Why</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="field in fields" :key="field">
          <tr
            v-for="(step, i) in [...sheet.trail[field]!].reverse()"
            :key="`${field}${i}`"
            :class="{ over: i > 0 && field !== 'tags' }"
          >
            <td>{{ i === 0 ? NAMES[field] : "" }}</td>
            <td>
              <component :is="i > 0 && field !== 'tags' && field !== 'extras' ? 's' : 'b'">{{
                shown(field, step.value)
              }}</component>
            </td>
            <td class="nowrap">
              <RouterLink v-if="SOURCES[step.layer]" class="link" :to="SOURCES[step.layer]!">{{
                step.layer
              }}</RouterLink><template v-else>{{ step.layer }}</template>
            </td>
            <td class="mute">
              {{ i > 0 && field !== "tags" && field !== "extras" ? "overridden: " : ""
              }}{{ step.why }}
            </td>
          </tr>
        </template>
      </tbody>
    </table>
    <p v-if="sheet && !Object.keys(sheet.trail).length" class="mute">
      This order has no plan yet. Its snags:
      {{ row.snags.map((s) => s.words).join("; ") || "none" }}.
    </p>
    <p class="mute small">
      Change it for all orders where the layer is set, by its name above; for this order alone,
      <RouterLink class="link" :to="`/orders/${row.id}`">open it</RouterLink> and choose.
    </p>
  </FormDialog>
</template>

<style scoped>
.nowrap {
  white-space: nowrap;
}
.over {
  color: var(--mute);
}
</style>
