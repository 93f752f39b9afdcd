<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { type Schemas } from "../../api/client";
import { money } from "../../shared/format";
import { useMe } from "../../shared/session";
import { FormDialog } from "../../shared/ui";
import { settleLabel } from "./queries";

/** Money and whatever else waits for somebody: each line with what can be done about it. */
defineProps<{ today: Schemas["TodayOut"] }>();
const { currency, me, may } = useMe();
const client = useQueryClient();
/** A label with a disputed charge, which somebody settles with its carrier. */
const settling = ref<Schemas["UnsettledOut"]>();
const settled = ref("");
const settle = useMutation({
  mutationFn: () => settleLabel(settling.value!.shipment_id, settled.value),
  onSuccess: () => {
    settling.value = undefined;
    settled.value = "";
    return client.invalidateQueries({ queryKey: ["today"] });
  },
});
</script>

<template>
  <section>
    <h2>Money and messages</h2>
    <table class="plain-table" aria-label="Money and messages">
      <tbody>
        <tr v-if="today.available_minor !== null">
          <td :class="{ press: today.low_balance }">
            {{ today.low_balance ? "Balance too low for today's plan" : "Postage balance" }}
          </td>
          <td class="right">{{ money(today.available_minor, currency) }}</td>
          <td class="right">
            <RouterLink v-if="may('shipper')" class="link" to="/money">{{
              may() ? "Top up" : "Look"
            }}</RouterLink>
          </td>
        </tr>
        <tr v-for="sale in today.unsettled" :key="sale.shipment_id">
          <td class="press">
            <RouterLink class="plain mono" :to="`/orders/${sale.order_id}?view=all`">{{
              sale.order_number
            }}</RouterLink>
            {{ sale.words }}
          </td>
          <td></td>
          <td class="right">
            <button v-if="may('shipper')" class="link" type="button" @click="settling = sale">
              Settle
            </button>
          </td>
        </tr>
        <tr>
          <td :class="{ press: today.undelivered_messages }">Mails not delivered yet</td>
          <td class="right">{{ today.undelivered_messages }}</td>
          <td class="right">
            <a
              v-if="me?.standins_url"
              class="link"
              :href="`${me.standins_url}/mail`"
              target="_blank"
              rel="noopener"
              >Sent mails</a
            >
          </td>
        </tr>
        <tr v-if="today.mails_without_server">
          <td class="stop">Mails that wait: no mail server has taken a test mail yet</td>
          <td class="right">{{ today.mails_without_server }}</td>
          <td class="right">
            <RouterLink v-if="may()" class="link" to="/set-up/shop">Set it up</RouterLink>
          </td>
        </tr>
        <tr v-if="today.refunds_overdue">
          <td class="stop">Refunds overdue</td>
          <td class="right">{{ today.refunds_overdue }}</td>
          <td class="right">
            <RouterLink v-if="may('shipper')" class="link" to="/money">Chase</RouterLink>
          </td>
        </tr>
        <tr v-if="today.returns_back">
          <td class="press">Returns that are back</td>
          <td class="right">{{ today.returns_back }}</td>
          <td class="right">
            <RouterLink class="link" to="/returns">Close them</RouterLink>
          </td>
        </tr>
        <tr v-if="today.returns_not_made">
          <td class="stop">Labels for the way back that were not made</td>
          <td class="right">{{ today.returns_not_made }}</td>
          <td class="right">
            <RouterLink class="link" to="/returns">Decide</RouterLink>
          </td>
        </tr>
        <tr v-if="today.messages_held">
          <td class="press">Messages that wait for a word</td>
          <td class="right">{{ today.messages_held }}</td>
          <td class="right">
            <RouterLink class="link" to="/messages">Look</RouterLink>
          </td>
        </tr>
        <tr v-if="today.requests_waiting">
          <td class="press">Labels that colleagues ask for</td>
          <td class="right">{{ today.requests_waiting }}</td>
          <td class="right">
            <RouterLink v-if="may('shipper')" class="link" to="/requests">Decide</RouterLink>
          </td>
        </tr>
        <tr v-if="today.numbers_low">
          <td class="stop">Carriers whose label numbers run out</td>
          <td class="right">{{ today.numbers_low }}</td>
          <td class="right">
            <RouterLink class="link" to="/set-up/carriers">Look</RouterLink>
          </td>
        </tr>
        <tr v-if="today.packaging_low">
          <td class="press">Packaging that runs low</td>
          <td class="right">{{ today.packaging_low }}</td>
          <td class="right">
            <RouterLink class="link" to="/set-up/packaging">Order more</RouterLink>
          </td>
        </tr>
        <tr v-if="today.pickups_missed">
          <td class="stop">Vans that did not come</td>
          <td class="right">{{ today.pickups_missed }}</td>
          <td class="right">
            <RouterLink class="link" to="/departures">Chase them</RouterLink>
          </td>
        </tr>
        <tr v-if="today.vans_too_small">
          <td class="stop">Vans booked for fewer parcels than lie ready</td>
          <td class="right">{{ today.vans_too_small }}</td>
          <td class="right">
            <RouterLink class="link" to="/departures">Look</RouterLink>
          </td>
        </tr>
        <tr v-if="today.prints_stuck">
          <td class="stop">Prints that do not go through</td>
          <td class="right">{{ today.prints_stuck }}</td>
          <td class="right">
            <RouterLink class="link" to="/set-up/printing">Look</RouterLink>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
  <FormDialog
    v-if="settling"
    title="Settle a charge"
    :width="520"
    :error="settle.error.value"
    @close="settling = undefined"
    @send="settle.mutate()"
  >
    <template #title>Settle the charge for {{ settling.order_number }}</template>
    <p>
      {{ settling.words }} Agree it with the carrier, then note the outcome here; the order's
      history keeps it.
    </p>
    <v-text-field v-model="settled" v-first label="Outcome" maxlength="120" required />
    <template #actions
      ><v-btn type="submit" :loading="settle.isPending.value">Settled</v-btn></template
    >
  </FormDialog>
</template>
