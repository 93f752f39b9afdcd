<script setup lang="ts">
import { computed, ref } from "vue";
import ReceiptMail from "./ReceiptMail.vue";
import RecountDialog from "./RecountDialog.vue";
import { keyOf, useDepartures } from "./useDepartures";
import { OrderPhotos } from "../bench";
import { ChangeDecision } from "../orders";
import { type Schemas } from "../../api/client";
import { clock, count, day, dayAndClock } from "../../shared/format";
import { now, useMe } from "../../shared/session";
import { ErrorNote } from "../../shared/ui";

/** The paper of a departure and its driver: the manifest closed and printed, the count, what was handed over, what is late. */
const props = defineProps<{ lane: Schemas["LaneOut"] }>();
const emit = defineEmits<{ count: [] }>();
const { zone, may } = useMe();
const { close, reopen } = useDepartures();
const { isPending: closing } = close;
/** An order that must not go before somebody has decided. */
const deciding = ref(0);
const labels = computed(() => props.lane.piles.reduce((n, p) => n + p.labels, 0));
const gone = computed(() => props.lane.piles.reduce((n, p) => n + p.gone, 0));
const recounting = ref(false);
const until = computed(() => {
  const window = props.lane.pickup?.state === "booked" && props.lane.fetching?.least_span_min;
  const cut = clock(props.lane.cutoff_at, zone.value);
  return window && props.lane.pickup!.start < cut ? props.lane.pickup!.start : cut;
});
const past = computed(() => new Date(props.lane.cutoff_at) < now.value);
const file = (kind: string) => `/api/manifests/${props.lane.manifest?.number}.${kind}`;
</script>

<template>
  <section aria-label="Paper and driver">
    <h2>Paper and driver</h2>
    <ErrorNote :error="close.error.value ?? reopen.error.value" />
    <p v-if="lane.handed_over_at" :class="lane.state === 'handed_over' ? 'fine' : 'press'">
      ✓ {{ gone ? `${count(gone, "parcel")} handed` : "Handed" }} over
      {{ dayAndClock(lane.handed_over_at, zone)
      }}<template v-if="lane.driver"> to {{ lane.driver }}</template
      >.
      <button
        v-if="lane.state === 'handed_over' && may()"
        type="button"
        class="link"
        @click="recounting = true"
      >
        Open the count again
      </button>
    </p>
    <p v-if="lane.recount" class="press">
      {{
        lane.state === "handed_over" ? "Its count was opened again by" : "Its count is open again:"
      }}
      {{ lane.recount }}.
    </p>
    <RecountDialog v-if="recounting" :lane="lane" @close="recounting = false" />
    <ReceiptMail
      v-if="lane.state === 'handed_over' && may('shipper', 'packer')"
      :departure="keyOf(lane)"
    />
    <template v-if="lane.manifest">
      <p>
        Manifest <span class="mono">{{ lane.manifest.number }}</span>,
        {{ count(lane.manifest.parcels, "parcel") }}, closed
        {{ clock(lane.manifest.closed_at, zone) }} by {{ lane.manifest.closed_by }}.
        <template v-if="lane.manifest.told === 'told'">The carrier has it.</template>
        <span v-else-if="lane.manifest.told === 'asked'" class="press"
          >The carrier is being told.</span
        >
        <span v-else-if="lane.manifest.told === 'refused'" class="stop"
          >✕ The carrier does not take it: {{ lane.manifest.words }}.</span
        >
      </p>
      <p class="acts">
        <a class="link" :href="file('pdf')" target="_blank" rel="noopener">Print two copies</a>
        <a class="link" :href="file('csv')">CSV</a>
        <a class="link" :href="file('json')">JSON</a>
        <button
          v-if="lane.state === 'closed' && may('shipper')"
          type="button"
          class="link"
          @click="reopen.mutate(keyOf(lane))"
        >
          Open it again
        </button>
      </p>
    </template>
    <p v-else-if="lane.state === 'missed'" class="stop">✕ Its van did not come.</p>
    <template v-else-if="lane.state === 'open'">
      <p v-if="labels" class="mute">
        Manifest not closed{{ past ? "." : `: what is bought until ${until} joins it.` }}
      </p>
      <p v-else class="mute">Nothing is bought for it yet.</p>
    </template>
    <p v-if="labels && lane.state !== 'handed_over'" class="acts">
      <button
        v-if="lane.state === 'open' && may('shipper', 'packer')"
        type="button"
        class="link"
        :disabled="closing"
        @click="close.mutate(keyOf(lane))"
      >
        Close the manifest <kbd class="key">m</kbd>
      </button>
      <button v-if="may('shipper', 'packer')" type="button" class="link" @click="emit('count')">
        Count with the driver <kbd class="key">d</kbd>
      </button>
    </p>
    <OrderPhotos v-if="labels || gone" :departure="keyOf(lane)" />
    <ul v-if="lane.stopped.length" class="late" aria-label="Must not go">
      <li v-for="s in lane.stopped" :key="s.order_id" class="stop">
        <span class="mono">{{ s.order_number }}</span> must not go: {{ s.words }}.
        <button type="button" class="link" @click="deciding = s.order_id">Decide</button>
      </li>
    </ul>
    <ChangeDecision v-if="deciding" :order-id="deciding" @close="deciding = 0" />
    <ul v-if="lane.late.length" class="late" aria-label="Late for their promise">
      <li v-for="l in lane.late" :key="l.order_id" class="stop">
        <RouterLink class="link" :to="`/orders/${l.order_id}`">{{ l.order_number }}</RouterLink>
        arrives {{ day(l.arrives) }}, promised {{ day(l.promised) }}
      </li>
    </ul>
  </section>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  margin: 8px 0;
}
.late {
  margin: 8px 0 0 18px;
}
</style>
