<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { claimLetterQuery, claimsQuery, sendClaim, settleClaim, type Claim } from "./queries";
import { amountText, day, minorOf, money } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DataTable, ErrorNote, FormDialog } from "../../../shared/ui";

/** Claims for what was lost or damaged: those that wait first, by their deadline. */
const client = useQueryClient();
const { currency, may } = useMe();
const { data, error } = useQuery(claimsQuery);
const STATES: Record<string, string> = {
  open: "○ to be sent",
  sent: "○ sent",
  paid: "✓ paid",
  refused: "refused",
  dropped: "dropped",
};
const again = () => client.invalidateQueries({ queryKey: ["tracking"] });
const writing = ref<Claim>();
const { data: letter } = useQuery(
  computed(() => ({ ...claimLetterQuery(writing.value?.id ?? 0), enabled: !!writing.value })),
);
const mailTo = ref("");
watch(letter, (found) => (mailTo.value ||= found?.to ?? ""));
const send = useMutation({
  mutationFn: () => sendClaim(writing.value!.id, mailTo.value.trim()),
  onSuccess: () => {
    writing.value = undefined;
    return again();
  },
});
const settling = ref<Claim>();
const outcome = ref<"paid" | "refused" | "dropped">("paid");
const paid = ref("");
const words = ref("");
function settle(claim: Claim): void {
  settling.value = claim;
  outcome.value = claim.state === "open" ? "dropped" : "paid";
  paid.value = amountText(claim.amount_minor, currency.value);
  words.value = "";
}
const done = useMutation({
  mutationFn: () =>
    settleClaim(settling.value!.id, {
      outcome: outcome.value,
      paid_minor: outcome.value === "paid" ? (minorOf(paid.value, currency.value) ?? 0) : 0,
      words: words.value.trim(),
    }),
  onSuccess: () => {
    settling.value = undefined;
    return again();
  },
});
const OUTCOMES = [
  { value: "paid", title: "It was paid" },
  { value: "refused", title: "It was refused" },
  { value: "dropped", title: "We drop it" },
];
const { isPending: sending } = send;
const { isPending: busy } = done;
const open = (c: Claim) => ["open", "sent"].includes(c.state);
</script>

<template>
  <section v-if="data?.length || error" class="claims" aria-label="Claims">
    <h2>Claims</h2>
    <ErrorNote :error="error" />
    <DataTable
      label="Claims"
      :columns="['Order', 'What', 'Claimed', 'Good until', 'Stands', '']"
      :rows="data"
      :row-key="(c) => c.id"
    >
      <template #row="{ row: c }">
        <td>
          <RouterLink class="plain mono" :to="`/orders/${c.order_id}?view=all`">{{
            c.order_number
          }}</RouterLink>
        </td>
        <td>{{ c.kind }}</td>
        <td>{{ money(c.amount_minor, currency) }}</td>
        <td :class="{ press: c.state === 'open' }">{{ day(c.claim_by) }}</td>
        <td>
          {{ STATES[c.state] }}{{ c.paid_minor ? ` ${money(c.paid_minor, currency)}` : ""
          }}<span class="said mute small">
            {{ c.words || (c.mail_to ? `to ${c.mail_to}` : `opened by ${c.opened_by}`) }}</span
          >
        </td>
        <td class="nowrap">
          <template v-if="may('shipper', 'care')">
            <button
              v-if="c.state !== 'paid' && c.state !== 'dropped'"
              type="button"
              class="link"
              @click="writing = c"
            >
              {{ c.state === "open" ? "Send it" : "Send again" }}
            </button>
            <button v-if="open(c)" type="button" class="link" @click="settle(c)">
              What became of it
            </button>
          </template>
        </td>
      </template>
    </DataTable>
    <FormDialog
      v-if="writing"
      :title="`The claim for ${writing.order_number}`"
      :error="send.error.value"
      @close="writing = undefined"
      @send="send.mutate()"
    >
      <v-text-field
        v-model="mailTo"
        v-first
        type="email"
        label="Mail address of the carrier"
        hint="It is offered again the next time"
        required
      />
      <template v-if="letter">
        <h3>{{ letter.subject }}</h3>
        <p class="letter" tabindex="0">{{ letter.body }}</p>
      </template>
      <template #actions
        ><v-btn type="submit" :loading="sending" :disabled="!mailTo.trim()"
          >Send it</v-btn
        ></template
      >
    </FormDialog>
    <FormDialog
      v-if="settling"
      :title="`What became of the claim for ${settling.order_number}`"
      :error="done.error.value"
      @close="settling = undefined"
      @send="done.mutate()"
    >
      <v-select v-model="outcome" label="Outcome" :items="OUTCOMES" />
      <v-text-field v-if="outcome === 'paid'" v-model="paid" v-first label="Paid" />
      <v-text-field v-model="words" label="What they wrote" maxlength="500" />
      <p v-if="outcome === 'paid'" class="small mute">It goes into the books as income.</p>
      <template #actions><v-btn type="submit" :loading="busy">Note it</v-btn></template>
    </FormDialog>
  </section>
</template>

<style scoped>
.claims {
  margin-top: 22px;
}
.said {
  margin-left: 8px;
}
.letter {
  max-height: 300px;
  padding: 10px 14px;
  overflow: auto;
  white-space: pre-line;
  background: var(--soft);
}
</style>
