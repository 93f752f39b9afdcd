<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { buyLabels, runChecks } from "./queries";
import { count, day, money } from "../../shared/format";
import { useSelection } from "../../shared/selection";
import { useMe } from "../../shared/session";
import { HandOverWays, waysQuery } from "../handover";
import { batchQuery, BuyProgress, PreflightList, preflightQuery } from ".";
import type { PickedOrder } from "../orders/queries";
import { ErrorNote } from "../../shared/ui";

const open = defineModel<boolean>({ required: true });
const props = defineProps<{ rows: PickedOrder[]; batchId?: number }>();
const client = useQueryClient();
const selection = useSelection();
const { currency } = useMe();
const boughtIn = ref(0);
const clientKey = ref("");
const { data: batch } = useQuery(computed(() => batchQuery(boughtIn.value)));

const without = ref(new Set<number>());
const shown = ref<Record<number, number | null>>({});
const asking = computed(() =>
  open.value && !boughtIn.value
    ? Object.fromEntries(
        Object.entries(shown.value).filter(([id]) => !without.value.has(Number(id))),
      )
    : {},
);
const {
  data: preflight,
  error,
  isPlaceholderData,
} = useQuery(computed(() => preflightQuery(asking.value)));
const numbers = computed(() => new Map(props.rows.map((r) => [r.id, r.number])));
const wanted = computed(() => props.rows.filter((r) => preflight.value?.order_ids.includes(r.id)));
function start(): void {
  boughtIn.value = 0;
  without.value = new Set();
  shown.value = Object.fromEntries(props.rows.map((r) => [r.id, r.price_minor]));
  clientKey.value = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 12)}`;
  buy.reset();
}
watch(open, (now) => {
  if (now) start();
});
function drop(ids: number[]): void {
  without.value = new Set([...without.value, ...ids]);
}
/** The person has seen the price as it is now, or knows who else works on it. */
const agreed = ref(new Set<number>());
function agree(ids: number[]): void {
  agreed.value = new Set([...agreed.value, ...ids]);
  shown.value = {
    ...shown.value,
    ...Object.fromEntries(
      ids
        .filter((id) => preflight.value?.prices[id] !== undefined)
        .map((id) => [id, preflight.value!.prices[id]!]),
    ),
  };
}
const questions = computed(
  () =>
    preflight.value?.checks.filter(
      (c) =>
        c.kind === "balance" ||
        (c.level === "asks" && !c.order_ids.every((id) => agreed.value.has(id))),
    ) ?? [],
);
const byService = computed(() => {
  const found = new Map<
    string,
    { name: string; monogram: string; labels: number; sum: number; ship: string[] }
  >();
  for (const r of wanted.value) {
    const key = r.service ?? "";
    const s = found.get(key) ?? {
      name: r.service_name ?? "",
      monogram: r.monogram ?? "",
      labels: 0,
      sum: 0,
      ship: [],
    };
    s.labels += r.parcel_count;
    s.sum += preflight.value?.prices[r.id] ?? 0;
    if (r.ship_date && !s.ship.includes(r.ship_date)) s.ship.push(r.ship_date);
    found.set(key, s);
  }
  return [...found.values()].sort((a, b) => b.sum - a.sum);
});
/** The departures that these labels will be in: how each leaves can be chosen here. */
const leaving = computed(() => {
  const found = new Map<string, { carrier: string; network: string; day: string }>();
  for (const r of wanted.value)
    if (r.carrier && r.network && r.ship_date)
      found.set(`${r.carrier} ${r.network} ${r.ship_date}`, {
        carrier: r.carrier,
        network: r.network,
        day: r.ship_date,
      });
  return [...found.values()].slice(0, 20);
});
/** Until it is known how they leave, the button would move away under a hand that is about to press it. */
const { isLoading: growing } = useQuery(computed(() => waysQuery(leaving.value)));
const after = computed(() =>
  preflight.value ? preflight.value.available - preflight.value.from_balance : 0,
);
const onAccount = computed(() =>
  preflight.value ? preflight.value.total - preflight.value.from_balance : 0,
);
const buy = useMutation({
  mutationFn: async (orders: { order_id: number; shown_minor: number }[]) =>
    await buyLabels({
      client_key: clientKey.value,
      batch_id: boughtIn.value || (props.batchId ?? null),
      orders,
    }),
  onSuccess: (asked) => {
    if (asked.taken.length) boughtIn.value = asked.batch_id;
    selection.clear();
    for (const key of ["orders", "order", "today", "money", "batches", "batch"])
      void client.invalidateQueries({ queryKey: [key] });
  },
});
function buyNow(): void {
  buy.mutate(
    (preflight.value?.order_ids ?? []).map((id) => ({
      order_id: id,
      shown_minor: preflight.value!.prices[id]!,
    })),
  );
}
/** Failures are asked again, at the price they have now. */
async function retry(ids: number[]): Promise<void> {
  const fresh = await runChecks({ orders: Object.fromEntries(ids.map((id) => [id, null])) });
  if (fresh.order_ids.length)
    buy.mutate(fresh.order_ids.map((id) => ({ order_id: id, shown_minor: fresh.prices[id]! })));
}
const dropped = computed(() =>
  (buy.data.value?.dropped ?? []).map((d) => ({
    ...d,
    number: numbers.value.get(d.order_id) ?? "",
  })),
);
</script>

<template>
  <v-dialog v-model="open" max-width="760" aria-label="Buy labels">
    <v-card>
      <template v-if="!boughtIn">
        <div class="dialog-head">
          Buy {{ count(preflight?.labels ?? 0, "label") }} for {{ count(wanted.length, "order") }}
        </div>
        <div class="dialog-body">
          <ErrorNote :error="buy.error.value ?? error" />
          <p v-if="dropped.length" class="note bad" role="alert">
            Nothing was bought: {{ dropped.map((d) => `${d.number} ${d.words}`).join("; ") }}.
          </p>
          <p v-if="!preflight && !error" class="mute">Checking everything before money moves…</p>
          <template v-if="preflight">
            <PreflightList :preflight="preflight" :numbers="numbers" @drop="drop" @agree="agree" />
            <table class="plain-table sums">
              <thead>
                <tr>
                  <th>Service</th>
                  <th>Leaves</th>
                  <th class="right">Labels</th>
                  <th class="right">Price</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="s in byService" :key="s.name">
                  <td>
                    <span class="mono-gram">{{ s.monogram }}</span> {{ s.name }}
                  </td>
                  <td>{{ s.ship.sort().map(day).join(", ") }}</td>
                  <td class="right">{{ s.labels }}</td>
                  <td class="right">{{ money(s.sum, currency) }}</td>
                </tr>
                <tr class="sum">
                  <td colspan="2"><b>Total</b> <span class="mute small">without VAT</span></td>
                  <td class="right">{{ preflight.labels }}</td>
                  <td class="right">
                    <b>{{ money(preflight.total, currency) }}</b>
                  </td>
                </tr>
              </tbody>
            </table>
            <HandOverWays :departures="leaving" />
            <p class="facts">
              From the postage balance: {{ money(preflight.available, currency) }} now,
              <b :class="{ stop: after < 0 }">{{ money(after, currency) }}</b> afterwards.<template
                v-if="onAccount"
              >
                {{ money(onAccount, currency) }} are billed by account.</template
              ><br /><span class="mute"
                >By buying you say that the contents may lawfully be sent this way.</span
              >
            </p>
          </template>
        </div>
        <div class="dialog-actions">
          <span v-if="questions.length" class="mute small"
            >{{ count(questions.length, "question") }} above to answer first</span
          >
          <v-btn variant="text" @click="open = false">Not now</v-btn>
          <v-btn
            v-first.button
            :loading="buy.isPending.value"
            :disabled="!wanted.length || questions.length > 0 || isPlaceholderData || growing"
            @click="buyNow"
            >Buy {{ count(preflight?.labels ?? 0, "label") }} ·
            {{ money(preflight?.total ?? 0, currency) }}</v-btn
          >
        </div>
      </template>
      <template v-else-if="batch">
        <div class="dialog-head" role="status">
          <template v-if="batch.buying"
            >Buying: {{ batch.bought }} of {{ batch.shipments.length }} done…</template
          >
          <template v-else
            >{{ count(batch.bought, "order") }} bought for {{ money(batch.total_minor, currency)
            }}<template v-if="batch.failed">, {{ batch.failed }} failed</template></template
          >
        </div>
        <div class="dialog-body">
          <p v-if="dropped.length" class="note bad" role="alert">
            Left out: {{ dropped.map((d) => `${d.number} ${d.words}`).join("; ") }}.
          </p>
          <BuyProgress :batch="batch" @retry="retry" />
        </div>
        <div class="dialog-actions">
          <RouterLink class="link" :to="`/batches/${boughtIn}`">Open as a page</RouterLink>
          <v-btn variant="text" @click="open = false">Close</v-btn>
        </div>
      </template>
      <div v-else class="empty">Writing down what is to be bought…</div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.sum td {
  border: 0;
  padding-top: 8px;
}
.sums {
  margin-top: 14px;
}
.facts {
  margin: 12px 8px 0;
}
</style>
