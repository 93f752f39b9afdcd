<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { sendTopUp, noteBillPaid, chaseRefund, ledgerQuery, refundsQuery } from "./queries";
import { count, day, dayAndClock, minorOf, money } from "../../shared/format";
import { AmountField, DataTable, DateField, FormDialog, ErrorNote } from "../../shared/ui";
import { type Schemas } from "../../api/client";
import { useMe } from "../../shared/session";
import CoverTerms from "./CoverTerms.vue";
import MoneyLimits from "./MoneyLimits.vue";

const client = useQueryClient();
const { currency, zone, may } = useMe();
const KINDS: Record<string, string> = {
  top_up: "Top-up",
  hold: "Hold",
  release: "Hold given back",
  charge: "Label bought",
  premium: "Cover by the insurer",
  premium_back: "Cover not needed",
  on_account: "Label bought on account",
  void_asked: "Void asked",
  refund: "Refund",
  credit: "Credit on account",
  refund_refused: "Refund refused",
  correction: "Correction",
  correction_on_account: "Correction on account",
  return_used: "Return used",
  return_on_account: "Return on account",
  bill_paid: "Bill paid",
};
const ACCOUNTS: Record<string, string> = {
  available: "free to spend",
  held: "held",
  postage: "postage",
  expected: "refunds expected",
  bank: "bank",
  owed: "owed, billed later",
  cover: "cover",
};
const kind = ref<string | null>(null);
const since = ref("");
const until = ref("");
const text = ref("");
const asks = computed(() => ({
  ...(kind.value ? { kind: [kind.value] } : {}),
  ...(since.value ? { since: since.value } : {}),
  ...(until.value ? { until: until.value } : {}),
  ...(text.value.trim() ? { text: text.value.trim() } : {}),
}));
const filtered = computed(() => Object.keys(asks.value).length > 0);
const { data, error, isPending } = useQuery(computed(() => ledgerQuery(asks.value)));
const { data: refunds } = useQuery(refundsQuery);
const file = computed(
  () =>
    `/api/money/file?${Object.entries(asks.value)
      .map(([k, v]) => `${k}=${encodeURIComponent(String(v))}`)
      .join("&")}`,
);
const cents = (typed: string) => minorOf(typed, currency.value) || 1;
const key = () => `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 10)}`;
const amount = ref("100");
const topUp = useMutation({
  mutationFn: () => sendTopUp({ amount_minor: cents(amount.value), key: key() }),
  onSuccess: () => client.invalidateQueries(),
});
const bill = ref("");
const pay = useMutation({
  mutationFn: () => noteBillPaid({ amount_minor: cents(bill.value), key: key() }),
  onSuccess: () => {
    bill.value = "";
    void client.invalidateQueries();
  },
});
const chasing = ref<Schemas["RefundOut"]>();
const mailTo = ref("");
const chase = useMutation({
  mutationFn: () => chaseRefund(chasing.value!.shipment_id, { mail_to: mailTo.value }),
  onSuccess: () => {
    chasing.value = undefined;
    void client.invalidateQueries({ queryKey: ["refunds"] });
  },
});
const line = (e: Schemas["BookedOut"], account: string) =>
  e.lines.find((l) => l.account === account);
const amountOf = (e: Schemas["BookedOut"]) => Math.abs(e.lines[0]?.amount_minor ?? 0);
const way = (e: Schemas["BookedOut"]) =>
  [e.lines.find((l) => l.amount_minor < 0), e.lines.find((l) => l.amount_minor > 0)]
    .map((l) => ACCOUNTS[l?.account ?? ""] ?? "")
    .join(" → ");
</script>

<template>
  <div class="page" tabindex="0" role="region" aria-label="Money">
    <div class="head">
      <h1>Money</h1>
      <span class="mute"
        >Postage balance and its ledger; entries are never changed, only reversed</span
      >
    </div>
    <ErrorNote v-if="error" :error="error" />
    <p v-else-if="isPending" class="empty">Fetching the ledger…</p>
    <template v-else-if="data">
      <div class="panel facts">
        <div>
          <span>Free to spend</span
          ><b :class="{ press: data.balance.available_minor < data.low_balance_minor }">{{
            money(data.balance.available_minor, currency)
          }}</b>
        </div>
        <div>
          <span>Held for labels being bought</span
          ><b>{{ money(data.balance.held_minor, currency) }}</b>
        </div>
        <div>
          <span>Refunds expected</span><b>{{ money(data.balance.expected_minor, currency) }}</b>
        </div>
        <div>
          <span>Owed, billed later</span><b>{{ money(data.balance.owed_minor, currency) }}</b>
        </div>
        <span class="grow" />
        <form v-if="may()" class="top-up" @submit.prevent="topUp.mutate()">
          <AmountField v-model="amount" label="Top up by" style="width: 130px" />
          <v-btn type="submit" :loading="topUp.isPending.value">Top up</v-btn>
        </form>
        <form v-if="may() && data.balance.owed_minor" class="top-up" @submit.prevent="pay.mutate()">
          <AmountField v-model="bill" label="A bill was paid" style="width: 130px" />
          <v-btn type="submit" variant="outlined" :disabled="!bill" :loading="pay.isPending.value"
            >Note it</v-btn
          >
        </form>
      </div>
      <ErrorNote :error="topUp.error.value ?? pay.error.value" />
      <section v-if="refunds?.length" aria-label="Refunds expected">
        <h2>Refunds expected</h2>
        <DataTable
          label="Refunds expected"
          :columns="['Order', 'Label', 'Asked', 'Due by', { title: 'Amount', figure: true }, '']"
          :rows="refunds"
          :row-key="(r) => r.shipment_id"
          ><template #row="{ row: r }">
            <td class="mono">
              <RouterLink class="plain" :to="`/orders/${r.order_id}?view=all`">{{
                r.order_number
              }}</RouterLink>
            </td>
            <td>{{ r.carrier }}, {{ r.service_name }}</td>
            <td>{{ dayAndClock(r.asked_at, zone) }} by {{ r.asked_by }}</td>
            <td :class="{ press: r.overdue }">
              {{ day(r.due_on) }}{{ r.overdue ? ", overdue" : ""
              }}<span v-if="r.chased_at" class="mute small">
                · chased {{ dayAndClock(r.chased_at, zone) }}</span
              >
            </td>
            <td class="right">{{ money(r.price_minor, currency) }}</td>
            <td class="right">
              <button v-if="r.overdue" class="link" type="button" @click="chasing = r">
                Chase
              </button>
            </td>
          </template></DataTable
        >
      </section>
      <MoneyLimits />
      <CoverTerms />
      <h2 class="ledger">Ledger</h2>
      <div class="filters">
        <v-select
          v-model="kind"
          label="Kind"
          clearable
          :items="Object.entries(KINDS).map(([value, title]) => ({ title, value }))"
        />
        <DateField v-model="since" label="From" />
        <DateField v-model="until" label="Until" />
        <v-text-field
          v-model="text"
          label="Words in the reason"
          clearable
          @click:clear="text = ''"
        />
        <a class="link" :href="file">{{ filtered ? "These as CSV" : "All as CSV" }}</a>
      </div>
      <p v-if="filtered" class="small mute">
        Together they moved
        {{
          Object.entries(data.moved)
            .filter(([, n]) => n)
            .map(([a, n]) => `${money(n, currency)} on ${ACCOUNTS[a]}`)
            .join(", ") || "nothing"
        }}.
      </p>
      <DataTable
        label="Ledger"
        :columns="[
          'When',
          'What',
          'Reason',
          'From → to',
          { title: 'Amount', figure: true },
          { title: 'Free afterwards', figure: true },
        ]"
        :rows="data.entries"
        :row-key="(e) => e.id"
        ><template #empty>{{
          filtered ? "No entry is like that." : "No entry yet. Top up the balance and buy a label."
        }}</template
        ><template #row="{ row: e }">
          <td class="nowrap">{{ dayAndClock(e.at, zone) }}</td>
          <td>{{ KINDS[e.kind] ?? e.kind }}</td>
          <td>
            {{ e.reason }}
            <RouterLink
              v-if="e.order_id && !e.reason.includes(e.order_number)"
              class="plain mono"
              :to="`/orders/${e.order_id}?view=all`"
              >{{ e.order_number }}</RouterLink
            >
          </td>
          <td class="mute">{{ way(e) }}</td>
          <td class="right">{{ money(amountOf(e), currency) }}</td>
          <td class="right">
            {{ line(e, "available") ? money(line(e, "available")!.after_minor, currency) : "" }}
          </td>
        </template></DataTable
      >
      <p v-if="data.entries.length === 100" class="mute small">
        {{ count(100, "newest entry", "newest entries") }}; the file has all.
      </p>
    </template>
    <FormDialog
      v-if="chasing"
      title="Chase a refund"
      :width="480"
      :error="chase.error.value"
      @close="chasing = undefined"
      @send="chase.mutate()"
    >
      <template #title>Chase {{ chasing.carrier }} about {{ chasing.order_number }}</template>
      <p>
        A mail goes to the carrier with account, label, days and the sum of
        {{ money(chasing.price_minor, currency) }} filled in.
      </p>
      <v-text-field
        v-model="mailTo"
        v-first
        label="The carrier’s mail address"
        type="email"
        required
      />
      <template #actions
        ><v-btn type="submit" :loading="chase.isPending.value">Send the mail</v-btn></template
      >
    </FormDialog>
  </div>
</template>

<style scoped>
.facts {
  display: flex;
  gap: 26px;
  padding: 14px 18px;
  align-items: center;
  margin-bottom: 12px;
  flex-wrap: wrap;
}
.facts div span {
  display: block;
  font-size: 11.5px;
  color: var(--mute);
}
.facts div b {
  font-size: 17px;
}
.top-up {
  display: flex;
  gap: 8px;
  align-items: center;
}
.filters {
  display: grid;
  grid-template-columns: 200px 150px 150px minmax(0, 1fr) auto;
  gap: 10px;
  align-items: center;
  margin: 6px 0;
}
.ledger {
  margin-top: 18px;
}
.nowrap {
  white-space: nowrap;
}
.plain {
  color: inherit;
}
</style>
