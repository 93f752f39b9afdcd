<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { closeReturn, returnsQuery } from "../queries";
import { type Schemas } from "../../../api/client";
import { dayAndClock, money } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DataTable, ErrorNote } from "../../../shared/ui";

const client = useQueryClient();
const { currency, zone, may } = useMe();
const { data: returns, error } = useQuery(returnsQuery);
const STATES: Record<string, string> = {
  making: "Being made",
  ready: "Not used yet",
  on_its_way: "On its way back",
  back: "Back with us",
  closed: "Closed",
  cancelled: "Cancelled",
  failed: "Not made",
};
const OUTCOMES = ["refunded", "exchanged", "repaired", "sent on again", "nothing to do"];
const close = useMutation({
  mutationFn: async (which: { id: number; outcome: string }) =>
    await closeReturn(which.id, { outcome: which.outcome }),
  onSuccess: () => {
    for (const key of ["returns", "today"]) void client.invalidateQueries({ queryKey: [key] });
  },
});
const open = (r: Schemas["ReturnOut"]) => ["ready", "on_its_way", "back"].includes(r.state);
</script>

<template>
  <div class="page" tabindex="0" role="region" aria-label="Returns">
    <div class="head">
      <h1>Returns</h1>
      <span class="mute"
        >Labels for the way back; each costs its price only when the carrier first scans it</span
      >
    </div>
    <ErrorNote :error="close.error.value" />
    <DataTable
      label="Returns"
      :error="error"
      :columns="[
        'Order',
        'State',
        'Reason',
        'Number',
        'Asked',
        { title: 'Price', figure: true },
        '',
      ]"
      :rows="returns"
      :row-key="(r) => r.id"
      waiting="Fetching the returns…"
      none="No label for the way back yet. Open a shipped order and choose “Label for the way back”: to print into the box, or to mail to the buyer."
      ><template #row="{ row: r }">
        <td>
          <RouterLink class="plain mono" :to="`/orders/${r.order_id}?view=all`">{{
            r.order_number
          }}</RouterLink><br /><span class="small mute">{{ r.recipient }}</span>
        </td>
        <td>
          <b :class="{ press: r.state === 'back', stop: r.state === 'failed' }">{{
            STATES[r.state]
          }}</b><br /><span class="small mute">{{
            r.failure ||
            r.outcome ||
            (r.used_at
              ? `first scanned ${dayAndClock(r.used_at, zone)}`
              : r.in_box
                ? "in the box"
                : "mailed to the buyer")
          }}</span>
        </td>
        <td>{{ r.reason || "–" }}</td>
        <td>
          <span class="mono">{{ r.tracking_number }}</span><br /><span class="small mute"
            >{{ r.carrier }}, {{ r.service_name }}</span
          >
        </td>
        <td>
          {{ dayAndClock(r.asked_at, zone) }}<br /><span class="small mute">{{ r.asked_by }}</span>
        </td>
        <td class="right">
          {{ money(r.price_minor, currency) }}<br /><span class="small mute">{{
            r.charged ? "charged" : "not charged"
          }}</span>
        </td>
        <td class="right">
          <a
            v-if="r.tracking_number && may('shipper', 'packer') && open(r)"
            class="link"
            :href="`/api/return-labels.pdf?parcel_return=${r.id}`"
            target="_blank"
            >Label</a
          >
          <v-menu v-if="open(r) && may('shipper', 'care')">
            <template #activator="{ props: menu }"
              ><button v-bind="menu" class="link" type="button">Close…</button></template
            >
            <div class="panel outcomes">
              <button
                v-for="o in OUTCOMES"
                :key="o"
                class="link"
                type="button"
                @click="close.mutate({ id: r.id, outcome: o })"
              >
                {{ o }}
              </button>
            </div>
          </v-menu>
        </td>
      </template></DataTable
    >
  </div>
</template>

<style scoped>
.plain {
  color: inherit;
}
.outcomes {
  display: flex;
  flex-direction: column;
  padding: 6px;
}
.outcomes .link {
  padding: 5px 10px;
  text-align: left;
}
</style>
