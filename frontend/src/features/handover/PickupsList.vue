<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { ref } from "vue";
import { calendarAddress, pickupsQuery } from "./queries";
import { type Schemas } from "../../api/client";
import { count, day, dayAndClock, kilograms, money } from "../../shared/format";
import { useMe } from "../../shared/session";
import { DataTable, ErrorNote } from "../../shared/ui";

/** Every pickup that was asked for, on demand, and where a calendar program finds them. */
defineProps<{ currency: string }>();
const { zone, may } = useMe();
const { data } = useQuery(pickupsQuery);
const open = ref(false);
const STATES: Record<Schemas["PickupOut"]["state"], string> = {
  asked: "Being asked",
  booked: "Booked",
  refused: "Refused",
  cancelling: "Being cancelled",
  cancelled: "Cancelled",
  done: "Came",
  missed: "Did not come",
};
const address = useMutation({ mutationFn: calendarAddress });
</script>

<template>
  <p v-if="data?.pickups.length" class="all">
    <button type="button" class="link" :aria-expanded="open" @click="open = !open">
      {{ open ? "Hide the pickups" : `All pickups (${data.pickups.length})` }}
    </button>
    <button v-if="open && may('shipper')" type="button" class="link" @click="address.mutate()">
      Address for a calendar program
    </button>
    <span v-if="address.data.value" class="mono small">{{ address.data.value.text }}</span>
  </p>
  <ErrorNote :error="address.error.value" />
  <DataTable
    v-if="open && data"
    label="Pickups"
    :columns="[
      'For',
      'Carrier',
      { title: 'Parcels', figure: true },
      { title: 'Fee', figure: true },
      'Where it stands',
      'Confirmation',
      'Asked by',
    ]"
    :rows="data.pickups"
    :row-key="(p) => p.id"
    none="No pickup was asked for yet."
    ><template #row="{ row: p }">
      <td>{{ day(p.day) }}, {{ p.start }}–{{ p.until }}</td>
      <td>{{ p.carrier }} {{ p.network }}</td>
      <td class="right">{{ p.parcels }} · {{ kilograms(p.gross_g) }}</td>
      <td class="right">{{ p.fee_minor ? money(p.fee_minor, currency) : "–" }}</td>
      <td>
        {{ STATES[p.state] }}<template v-if="p.words">: {{ p.words }}</template
        ><template v-if="p.answer">. {{ p.answer }}</template>
      </td>
      <td class="mono">{{ p.confirmation }}</td>
      <td class="mute">{{ p.asked_by }}, {{ dayAndClock(p.asked_at, zone) }}</td>
    </template></DataTable
  >
  <p v-if="!data?.pickups.length" class="mute small">{{ count(0, "pickup") }} asked for so far.</p>
</template>

<style scoped>
.all {
  display: flex;
  gap: 14px;
  align-items: baseline;
  margin: 18px 0 8px;
}
</style>
