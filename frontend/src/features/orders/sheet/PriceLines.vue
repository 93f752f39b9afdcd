<script setup lang="ts">
import type { Schemas } from "../../../api/client";
import { money } from "../../../shared/format";

/** What a service costs, line by line: the net is what is compared and paid from the balance, VAT stands beside it. */
defineProps<{ quote: Schemas["QuoteOut"]; parcels: number; currency: string }>();
</script>

<template>
  <h3>Price</h3>
  <table class="plain-table sum">
    <tbody>
      <tr v-for="(l, i) in quote.lines" :key="i">
        <td>
          {{ l.name }}<template v-if="parcels > 1 && l.parcel">, parcel {{ l.parcel }}</template>
          <span class="mute small">{{ l.basis }}</span>
        </td>
        <td class="right">{{ money(l.amount_minor, currency) }}</td>
      </tr>
      <tr class="total">
        <td><b>Price</b> <span class="mute small">without VAT</span></td>
        <td class="right">
          <b>{{ money(quote.net_minor, currency) }}</b>
        </td>
      </tr>
      <tr>
        <td class="mute">VAT, on the carrier's invoice</td>
        <td class="right mute">{{ money(quote.tax_minor, currency) }}</td>
      </tr>
      <tr
        v-if="quote.published_net_minor !== null && quote.published_net_minor !== quote.net_minor"
      >
        <td class="mute">Published price</td>
        <td class="right mute">{{ money(quote.published_net_minor, currency) }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
h3 {
  margin-top: 12px;
}
.sum td {
  border: 0;
  padding: 2px 0;
}
.sum td.right {
  white-space: nowrap;
  padding-left: 8px;
}
.sum .total td {
  border-top: 1px solid var(--line);
  padding-top: 5px;
}
</style>
