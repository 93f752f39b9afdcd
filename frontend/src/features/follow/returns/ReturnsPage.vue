<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import CloseReturn from "./CloseReturn.vue";
import ReturnRules from "./ReturnRules.vue";
import { askReturnAgain, receiveReturn, returnsQuery } from "../queries";
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
const REASONS: Record<string, string> = {
  unwanted: "not wanted",
  damaged: "came damaged",
  wrong: "not what was ordered",
  other: "something else",
};
const closing = ref<Schemas["ReturnOut"]>();
const number = ref("");
/** What came back is taken in by its number and closed at once: the next scan can follow. */
const receive = useMutation({
  mutationFn: () => receiveReturn(number.value.trim()),
  onSuccess: (found) => {
    number.value = "";
    void client.invalidateQueries({ queryKey: ["returns"] });
    if (may("shipper", "care")) closing.value = found;
  },
});
const again = useMutation({
  mutationFn: askReturnAgain,
  onSuccess: () => {
    for (const key of ["returns", "today"]) void client.invalidateQueries({ queryKey: [key] });
  },
});
const open = (r: Schemas["ReturnOut"]) =>
  ["ready", "on_its_way", "back", "failed"].includes(r.state);
</script>

<template>
  <div class="page" tabindex="0" role="region" aria-label="Returns">
    <div class="head">
      <h1>Returns</h1>
      <span class="mute"
        >Labels for the way back; each costs its price only when the carrier first scans it</span
      >
      <span class="grow" />
      <form v-if="may('shipper', 'packer')" class="take" @submit.prevent="receive.mutate()">
        <v-text-field v-model="number" v-first label="Scan what came back" />
      </form>
    </div>
    <ErrorNote :error="receive.error.value ?? again.error.value" />
    <ReturnRules />
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
        <td>
          {{ (REASONS[r.reason] ?? r.reason) || "–" }}
          <template v-if="r.items.length"
            ><br /><span class="small mute"
              >{{ r.items.map((i) => `${i.quantity} × ${i.name}`).join(", ")
              }}{{ r.words ? `: “${r.words}”` : "" }}</span
            ></template
          >
          <a
            v-if="r.has_photo"
            class="link small"
            :href="`/api/returns/${r.id}/photo.jpg`"
            target="_blank"
            >Picture</a
          >
        </td>
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
            (r.charged ? "charged" : "not charged") + (r.buyer_pays ? ", the buyer pays" : "")
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
          <button
            v-if="r.state === 'failed' && may('shipper', 'care')"
            class="link"
            type="button"
            :disabled="again.isPending.value"
            @click="again.mutate(r.id)"
          >
            Ask again
          </button>
          <button
            v-if="open(r) && may('shipper', 'care')"
            class="link"
            type="button"
            @click="closing = r"
          >
            Close…
          </button>
        </td>
      </template></DataTable
    >
    <CloseReturn v-if="closing" :back="closing" @close="closing = undefined" />
  </div>
</template>

<style scoped>
.plain {
  color: inherit;
}
.take {
  width: 260px;
}
</style>
