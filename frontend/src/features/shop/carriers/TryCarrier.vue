<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { type Schemas } from "../../../api/client";
import { day, money } from "../../../shared/format";
import { gramsToWeight, lengthToMm, units, weightToGrams } from "../../../shared/units";
import { useMe } from "../../../shared/session";
import { CountryField, ErrorNote } from "../../../shared/ui";
import { priceForOne } from "../queries";

/** What a parcel to somewhere would cost with this carrier: whether it was set up right shows in one answer. */
const props = defineProps<{ carrier: Schemas["CarrierOut"] }>();
const { currency } = useMe();
const weight = ref(gramsToWeight(2_000));
const postcode = ref("69002");
const country = ref("FR");
const unit = computed(() => (units.value === "imperial" ? "lb" : "kg"));
const sides = computed(() => (units.value === "imperial" ? [12, 8, 6] : [30, 20, 15]));
const ask = useMutation({
  mutationFn: () =>
    priceForOne(
      country.value,
      postcode.value,
      weightToGrams(Number(weight.value.replace(",", "."))),
      sides.value.map(lengthToMm) as [number, number, number],
      props.carrier.asks_prices,
    ),
});
const { isPending: busy } = ask;
const lines = computed(() => {
  const found = ask.data.value;
  return (found?.services ?? [])
    .filter((s) => s.carrier === props.carrier.code)
    .map((s) => {
      const cells = found!.cells.filter((c) => c.service === s.code);
      const cell =
        cells.find((c) => c.box === s.best_box) ?? cells.find((c) => c.quote) ?? cells[0];
      return { code: s.code, name: s.name, cell };
    });
});
</script>

<template>
  <h2>What would it cost?</h2>
  <form class="ask" @submit.prevent="ask.mutate()">
    <v-text-field v-model="weight" :label="unit" required />
    <v-text-field v-model="postcode" label="Postcode" />
    <CountryField v-model="country" />
    <v-btn type="submit" variant="outlined" :loading="busy">Ask</v-btn>
  </form>
  <p class="mute small">
    A parcel of {{ sides.join(" × ") }} {{ units === "imperial" ? "in" : "cm" }} from the usual
    place, handed over today.
  </p>
  <ErrorNote :error="ask.error.value" />
  <table v-if="ask.data.value" class="plain-table" aria-label="What it would cost">
    <tbody>
      <tr v-for="line in lines" :key="line.code">
        <td>{{ line.name }}</td>
        <td v-if="line.cell?.quote" class="right">
          <b>{{ money(line.cell.quote.net_minor, currency) }}</b>
        </td>
        <td v-if="line.cell?.quote" class="mute">
          {{ line.cell.arrives ? `there by ${day(line.cell.arrives)}` : "" }}
        </td>
        <td v-else colspan="2" class="mute">
          {{ line.cell?.refused ?? (line.cell?.waits ? "waits for the carrier’s answer" : "–") }}
        </td>
      </tr>
      <tr v-if="!lines.length">
        <td class="mute">
          No service of this carrier is switched on, or no card is in force today.
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.ask {
  display: grid;
  grid-template-columns: 88px 96px minmax(0, 1fr) auto;
  align-items: center;
  gap: 8px;
  margin-top: 10px;
}
</style>
