<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { api, need, words } from "../../api/client";
import { count, day, money } from "../../shared/format";
import { useSelection } from "../../shared/selection";
import { useMe } from "../../shared/session";
import { todayQuery } from "../today";
import { batchQuery, type OrderRow } from "./queries";

const open = defineModel<boolean>({ required: true });
const props = defineProps<{ rows: OrderRow[] }>();
const client = useQueryClient();
const selection = useSelection();
const { currency } = useMe();
const { data: today } = useQuery(todayQuery);
const batchId = ref(0);
const clientKey = ref("");
const { data: batch } = useQuery(computed(() => batchQuery(batchId.value)));

const without = ref(new Set<number>());
const wanted = computed(() => props.rows.filter((r) => !without.value.has(r.id)));
const others = computed(() => wanted.value.filter((r) => r.held_by));
const takenOver = ref(false);
function leaveOut(): void {
  without.value = new Set(others.value.map((r) => r.id));
}
async function takeOver(): Promise<void> {
  await api.POST("/api/claims", { body: { order_ids: others.value.map((r) => r.id), take_over: true } });
  takenOver.value = true;
}
watch(open, (now) => {
  if (!now) return;
  batchId.value = 0;
  without.value = new Set();
  takenOver.value = false;
  clientKey.value = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 12)}`;
  buy.reset();
});
const total = computed(() => wanted.value.reduce((n, r) => n + (r.price_minor ?? 0), 0));
const labels = computed(() => wanted.value.reduce((n, r) => n + r.parcel_count, 0));
const after = computed(() => (today.value?.available_minor ?? 0) - total.value);
const byService = computed(() => {
  const found = new Map<string, { name: string; monogram: string; labels: number; sum: number; ship: string[]; late: number }>();
  for (const r of wanted.value) {
    const key = r.service ?? "";
    const s = found.get(key) ?? { name: r.service_name ?? "", monogram: r.monogram ?? "", labels: 0, sum: 0, ship: [], late: 0 };
    s.labels += r.parcel_count;
    s.sum += r.price_minor ?? 0;
    if (r.ship_date && !s.ship.includes(r.ship_date)) s.ship.push(r.ship_date);
    if (r.arrives && r.promise_date && r.arrives > r.promise_date) s.late += 1;
    found.set(key, s);
  }
  return [...found.values()].sort((a, b) => b.sum - a.sum);
});
const buy = useMutation({
  mutationFn: async () =>
    need(await api.POST("/api/purchases", { body: { client_key: clientKey.value, orders: wanted.value.map((r) => ({ order_id: r.id, shown_minor: r.price_minor ?? 0 })) } })),
  onSuccess: (asked) => {
    if (asked.taken.length) batchId.value = asked.batch_id;
    selection.clear();
    for (const key of ["orders", "order", "today", "money"]) void client.invalidateQueries({ queryKey: [key] });
  },
});
const dropped = computed(() => (buy.data.value?.dropped ?? []).map((d) => ({ ...d, number: wanted.value.find((r) => r.id === d.order_id)?.number ?? "" })));
const bought = computed(() => batch.value?.shipments.filter((s) => s.state === "bought") ?? []);
const ids = computed(() => bought.value.map((s) => `shipment=${s.id}`).join("&"));
const copied = ref("");
async function copy(text: string): Promise<void> {
  await navigator.clipboard?.writeText(text).catch(() => undefined);
  copied.value = text;
}
</script>

<template>
  <v-dialog v-model="open" max-width="680" aria-label="Buy labels">
    <v-card>
      <template v-if="!batchId">
        <div class="dialog-head">Buy {{ count(labels, "label") }} for {{ count(wanted.length, "order") }}</div>
        <div class="dialog-body">
          <p v-if="buy.error.value" class="note bad" role="alert">{{ words(buy.error.value) }}</p>
          <p v-if="dropped.length" class="note bad" role="alert">Nothing was bought: {{ dropped.map((d) => `${d.number} ${d.words}`).join("; ") }}.</p>
          <p v-if="others.length && !takenOver" class="note" role="status">{{ [...new Set(others.map((r) => r.held_by))].join(", ") }} {{ others.length === 1 ? "has one" : `have ${others.length}` }} of these open: {{ others.slice(0, 5).map((r) => r.number).join(", ") }}. <button class="link" type="button" @click="leaveOut">Leave out</button><button class="link" type="button" @click="takeOver">Take over</button></p>
          <table class="plain-table">
            <thead><tr><th>Service</th><th>Leaves</th><th class="right">Labels</th><th class="right">Price</th></tr></thead>
            <tbody>
              <tr v-for="s in byService" :key="s.name">
                <td><span class="mono-gram">{{ s.monogram }}</span> {{ s.name }} <span v-if="s.late" class="stop small">{{ s.late }} late</span></td>
                <td>{{ s.ship.sort().map(day).join(", ") }}</td>
                <td class="right">{{ s.labels }}</td>
                <td class="right">{{ money(s.sum, currency) }}</td>
              </tr>
              <tr class="sum"><td colspan="2"><b>Total</b> <span class="mute small">without VAT</span></td><td class="right">{{ labels }}</td><td class="right"><b>{{ money(total, currency) }}</b></td></tr>
            </tbody>
          </table>
          <p class="facts">From the postage balance: {{ money(today?.available_minor, currency) }} now, <b :class="{ stop: after < 0 }">{{ money(after, currency) }}</b> afterwards.<br /><span class="mute">By buying you say that the contents may lawfully be sent this way.</span></p>
        </div>
        <div class="dialog-actions">
          <v-btn variant="text" @click="open = false">Not now</v-btn>
          <v-btn autofocus :loading="buy.isPending.value" :disabled="!wanted.length" @click="buy.mutate()">Buy {{ count(labels, "label") }} · {{ money(total, currency) }}</v-btn>
        </div>
      </template>
      <template v-else-if="batch">
        <div class="dialog-head" role="status">
          <template v-if="batch.buying">Buying: {{ batch.bought }} of {{ batch.shipments.length }} done…</template>
          <template v-else>{{ count(bought.length, "order") }} bought for {{ money(batch.total_minor, currency) }}<template v-if="batch.failed">, {{ batch.failed }} failed</template></template>
        </div>
        <div class="dialog-body">
          <v-progress-linear v-if="batch.buying" :model-value="(100 * (batch.bought + batch.failed)) / batch.shipments.length" color="primary" aria-label="Bought so far" />
          <p v-if="dropped.length" class="note bad" role="alert">Left out: {{ dropped.map((d) => `${d.number} ${d.words}`).join("; ") }}.</p>
          <table class="plain-table">
            <thead><tr><th>Order</th><th>Service</th><th>Result</th><th class="right">Price</th></tr></thead>
            <tbody>
              <tr v-for="s in batch.shipments" :key="s.id">
                <td class="mono">{{ s.order_number }}</td>
                <td>{{ s.service_name }}</td>
                <td>
                  <span v-if="s.state === 'buying'" class="press">Asking the carrier…</span>
                  <span v-else-if="s.state === 'failed'" class="snag">{{ s.failure }}</span>
                  <template v-else>
                    <button v-for="l in s.labels" :key="l.id" class="quiet mono" type="button" :title="copied === l.tracking_number ? 'Copied' : 'Copy'" @click="copy(l.tracking_number ?? '')">{{ l.tracking_number }}{{ copied === l.tracking_number ? " copied" : "" }}</button>
                  </template>
                </td>
                <td class="right">{{ s.state === "bought" ? money(s.price_minor, currency) : "–" }}</td>
              </tr>
            </tbody>
          </table>
          <p v-if="batch.buying" class="mute small">You can leave this: it goes on by itself.</p>
        </div>
        <div class="dialog-actions">
          <v-btn variant="text" @click="open = false">Close</v-btn>
          <v-btn v-if="bought.length" variant="outlined" :href="`/api/packing-slips.pdf?${ids}`" target="_blank">Packing slips</v-btn>
          <v-btn v-if="bought.length" :href="`/api/labels.pdf?${ids}`" target="_blank">Print {{ count(bought.reduce((n, s) => n + s.labels.length, 0), "label") }}</v-btn>
        </div>
      </template>
      <div v-else class="empty">Writing down what is to be bought…</div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.sum td { border: 0; padding-top: 8px; }
.facts { margin: 12px 8px 0; }
.quiet { margin-right: 10px; font-size: 12.5px; }
</style>
