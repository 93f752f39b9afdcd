<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { api, need, words } from "../../api/client";
import { dayAndClock, money } from "../../shared/format";
import { useMe } from "../../shared/session";

const client = useQueryClient();
const { currency, zone, may } = useMe();
const { data, error, isPending } = useQuery({ queryKey: ["money"], queryFn: async () => need(await api.GET("/api/money")) });
const amount = ref("100");
const KINDS: Record<string, string> = { top_up: "Top-up", hold: "Hold", release: "Hold given back", charge: "Charge", void_asked: "Void asked", refund: "Refund", correction: "Correction" };
const topUp = useMutation({
  mutationFn: async () =>
    need(await api.POST("/api/money/top-up", { body: { amount_minor: Math.round(Number(amount.value.replace(",", ".")) * 100) || 1, key: `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 10)}` } })),
  onSuccess: () => client.invalidateQueries(),
});
/** What an entry did to what is free to spend. */
function change(lines: { account: string; amount_minor: number }[]): number {
  return lines.filter((l) => l.account === "available").reduce((n, l) => n + l.amount_minor, 0);
}
function postings(lines: { account: string; amount_minor: number }[]): string {
  return `${lines.find((l) => l.amount_minor < 0)?.account ?? ""} → ${lines.find((l) => l.amount_minor > 0)?.account ?? ""}`;
}
</script>

<template>
  <div class="page" tabindex="0" role="region" aria-label="Money">
    <div class="head"><h1>Money</h1><span class="mute">Postage balance and its ledger; entries are never changed, only reversed</span></div>
    <p v-if="error" class="note bad" role="alert">{{ words(error) }}</p>
    <p v-else-if="isPending" class="empty">Fetching the ledger…</p>
    <template v-else-if="data">
      <div class="panel facts">
        <div><span>Free to spend</span><b>{{ money(data.balance.available_minor, currency) }}</b></div>
        <div><span>Held for labels being bought</span><b>{{ money(data.balance.held_minor, currency) }}</b></div>
        <div><span>Refunds expected</span><b>{{ money(data.balance.expected_minor, currency) }}</b></div>
        <span class="grow" />
        <form v-if="may()" class="top-up" @submit.prevent="topUp.mutate()">
          <v-text-field v-model="amount" label="Top up by" :suffix="currency" inputmode="decimal" style="width: 150px" />
          <v-btn type="submit" :loading="topUp.isPending.value">Top up</v-btn>
        </form>
      </div>
      <p v-if="topUp.error.value" class="note bad" role="alert">{{ words(topUp.error.value) }}</p>
      <p v-if="!data.entries.length" class="empty">No entry yet. Top up the balance and buy a label.</p>
      <table v-else class="plain-table">
        <thead><tr><th>When</th><th>What</th><th>Reason</th><th>From → to</th><th class="right">Amount</th><th class="right">Free to spend</th></tr></thead>
        <tbody>
          <tr v-for="e in data.entries" :key="e.id">
            <td>{{ dayAndClock(e.at, zone) }}</td><td>{{ KINDS[e.kind] ?? e.kind }}</td><td>{{ e.reason }}</td>
            <td class="mute">{{ postings(e.lines) }}</td>
            <td class="right">{{ money(Math.abs(e.lines[0]?.amount_minor ?? 0), currency) }}</td>
            <td class="right">{{ change(e.lines) ? (change(e.lines) > 0 ? "+" : "") + money(change(e.lines), currency) : "–" }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </div>
</template>

<style scoped>
.facts { display: flex; gap: 34px; padding: 14px 18px; align-items: center; margin-bottom: 12px; flex-wrap: wrap; }
.facts div span { display: block; font-size: 11.5px; color: var(--mute); } .facts div b { font-size: 17px; }
.top-up { display: flex; gap: 8px; align-items: center; }
</style>
