<script setup lang="ts">
import { computed } from "vue";
import { type Schemas } from "../../api/client";
import {
  clock,
  count,
  day,
  dayAndClock,
  kilograms,
  localDay,
  money,
  roomTaken,
  timeLeft,
} from "../../shared/format";
import { now, useMe } from "../../shared/session";
import { DataTable } from "../../shared/ui";

/** What lies at a handover by service, what its van leaves and why, and until when and for how much it is asked for. */
const props = defineProps<{ lane: Schemas["LaneOut"] }>();
const { zone } = useMe();
const labels = computed(() => props.lane.piles.reduce((n, p) => n + p.labels, 0));
const printed = computed(() => props.lane.piles.reduce((n, p) => n + p.printed, 0));
const span = (minutes: number) =>
  minutes % 60 ? count(minutes, "minute") : count(minutes / 60, "hour");
const hours = computed(() => {
  const f = props.lane.fetching!;
  const when = f.least_span_min
    ? `in a window of at least ${span(f.least_span_min)}`
    : "on its round";
  return `${when}, from ${f.opens.slice(0, 5)} to ${f.closes.slice(0, 5)}`;
});
const price = computed(() => {
  const f = props.lane.fetching!;
  if (f.fee_minor === null) return "";
  const plain = f.fee_minor ? `for ${money(f.fee_minor, props.lane.currency)}` : "free of charge";
  return f.exact_hour_fee_minor
    ? `${plain}, at an exact hour for ${money(f.exact_hour_fee_minor, props.lane.currency)} more`
    : plain;
});
const last = computed(() => {
  const until = props.lane.fetching?.until;
  if (!until) return "";
  const at = new Date(until);
  const when =
    localDay(at, zone.value) === localDay(now.value, zone.value)
      ? clock(until, zone.value)
      : dayAndClock(until, zone.value);
  return at > now.value
    ? `It is asked for until ${when}, ${timeLeft(until, now.value)}.`
    : `It was asked for until ${when}.`;
});
</script>

<template>
  <div class="three">
    <section aria-label="What lies there">
      <h2>
        {{ lane.name
        }}<template v-if="labels">: {{ printed }} of {{ count(labels, "label") }} printed</template>
      </h2>
      <DataTable
        label="By service"
        :columns="[
          'Service',
          { title: 'Labels', figure: true },
          { title: 'Weight', figure: true },
          { title: 'Volume', figure: true },
        ]"
        :rows="lane.piles"
        :row-key="(p) => p.service"
        none="Nothing is bought for this departure yet."
        ><template #row="{ row: p }">
          <td>
            <b>{{ p.name }}</b><br /><span class="small mute">{{ p.printed }} printed</span>
          </td>
          <td class="right">{{ p.labels }}</td>
          <td class="right">{{ kilograms(p.gross_g) }}</td>
          <td class="right">{{ roomTaken(p.volume_mm3) }}</td>
        </template></DataTable
      >
    </section>
    <section aria-label="Fetching">
      <h2>Fetching</h2>
      <p v-if="!lane.fetching">
        Nobody comes for these: they are taken along to a counter or a shop.
      </p>
      <template v-else>
        <p v-if="lane.fetching.refused && labels" class="press" role="status">
          {{ lane.fetching.refused.slice(0, 1).toUpperCase() + lane.fetching.refused.slice(1) }}.
          <template v-if="lane.fetching.next_day && lane.fetching.next_day !== lane.day"
            >The next day that can be asked for is {{ day(lane.fetching.next_day) }}.</template
          >
        </p>
        <p v-if="lane.fetching.going" class="said">
          The van takes <b>{{ count(lane.fetching.going, "parcel") }}</b> {{ hours }}, {{ price }}.
        </p>
        <p v-else-if="!labels" class="mute">The van comes {{ hours }}.</p>
        <p v-if="last" class="mute small">{{ last }}</p>
        <p v-if="lane.fetching.manifest_first" class="mute small">
          This carrier wants its manifest closed before the van is asked for.
        </p>
        <ul v-if="lane.fetching.left.length" class="left">
          <li v-for="l in lane.fetching.left" :key="l.order_number + l.words" class="press">
            <RouterLink class="link" :to="`/orders/${l.order_id}`">{{ l.order_number }}</RouterLink>
            stays: {{ l.words }}
          </li>
        </ul>
      </template>
    </section>
  </div>
</template>

<style scoped>
.three {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 4fr);
  gap: 26px;
  margin-top: 16px;
}
.said {
  font-size: 16px;
  line-height: 1.7;
}
.left {
  margin: 8px 0 0 18px;
}
@media (max-width: 1000px) {
  .three {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
