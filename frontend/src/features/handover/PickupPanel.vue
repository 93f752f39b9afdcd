<script setup lang="ts">
import { computed, reactive, watch } from "vue";
import DropOff from "./DropOff.vue";
import PickupStanding from "./PickupStanding.vue";
import { moreThanBooked } from "./vans";
import { keyOf, useDepartures, wishOf } from "./useDepartures";
import { type Schemas } from "../../api/client";
import {
  capital,
  clock,
  day,
  dayAndClock,
  kilograms,
  localDay,
  money,
  timeLeft,
} from "../../shared/format";
import { now, useMe } from "../../shared/session";
import { ErrorNote, SentencePart } from "../../shared/ui";

/** How a departure is fetched: a sentence whose parts are edited in place, what it costs, and until when it is asked. */
const props = defineProps<{ lane: Schemas["LaneOut"] }>();
const { zone, may } = useMe();
const { ask, cancel, bring, dropped } = useDepartures();
const { isPending: asking } = ask;
const { isPending: cancelling } = cancel;
const f = computed(() => props.lane.fetching);
const pickup = computed(() => props.lane.pickup);
const standing = computed(() =>
  pickup.value && ["asked", "booked", "cancelling", "done", "missed"].includes(pickup.value.state)
    ? pickup.value
    : undefined,
);
const draft = reactive({ parcels: "", start: "", until: "", spot: "", note: "", changing: false });
watch(
  () => [props.lane.carrier, props.lane.network, props.lane.day],
  () =>
    Object.assign(draft, {
      parcels: "",
      start: "",
      until: "",
      spot: "",
      note: "",
      changing: false,
    }),
);
const shown = computed(() => {
  const s = f.value!.suggested;
  const old = draft.changing ? pickup.value : undefined;
  return {
    parcels: Number(draft.parcels) || s.parcels,
    start: draft.start || old?.start || s.start,
    until: draft.until || old?.until || s.until,
    spot: draft.spot || old?.spot || s.spot || "the door",
    note: draft.note || old?.note || "",
  };
});
const CLOCK = /^([01]?\d|2[0-3]):[0-5]\d$/;
const badTimes = computed(() => [shown.value.start, shown.value.until].some((t) => !CLOCK.test(t)));
const fee = computed(() => {
  if (f.value?.fee_minor === null || !f.value) return 0;
  const exact = shown.value.start === shown.value.until ? (f.value.exact_hour_fee_minor ?? 0) : 0;
  return (
    f.value.fee_minor + (shown.value.parcels - f.value.going) * f.value.parcel_fee_minor + exact
  );
});
const price = (minor: number) => (minor ? money(minor, props.lane.currency) : "no charge");
const last = computed(() => {
  const until = f.value?.until;
  if (!until) return "";
  const at = new Date(until);
  const when =
    localDay(at, zone.value) === localDay(now.value, zone.value)
      ? clock(until, zone.value)
      : dayAndClock(until, zone.value);
  return at > now.value
    ? `It is asked for until ${when}, ${timeLeft(until, now.value, zone.value)}.`
    : `It was asked for until ${when}.`;
});
const open = computed(() => props.lane.state === "open" || props.lane.state === "closed");
const canAsk = computed(
  () =>
    open.value &&
    !!f.value &&
    f.value.going > 0 &&
    (!f.value.manifest_first || !!props.lane.manifest),
);
const pad = (time: string) => (CLOCK.test(time) ? time.padStart(5, "0") : undefined);
function send(): void {
  ask.mutate([
    wishOf(props.lane, fee.value, {
      parcels: draft.parcels ? shown.value.parcels : undefined,
      start: pad(shown.value.start),
      until: pad(shown.value.until),
      spot: draft.spot,
      note: draft.note,
    }),
  ]);
  draft.changing = false;
}
</script>

<template>
  <section aria-label="Pickup">
    <h2>Pickup</h2>
    <ErrorNote :error="ask.error.value ?? cancel.error.value ?? bring.error.value" />
    <p v-for="words in dropped" :key="words" class="stop" role="status">
      ✕ Not asked for. {{ words }}.
    </p>
    <template v-if="!f">
      <p class="mute">Nobody comes for these: they are taken along to a shop, locker or counter.</p>
      <DropOff :lane="lane" />
    </template>
    <template v-else-if="lane.brought">
      <p>We take these there ourselves.</p>
      <DropOff :lane="lane" />
      <button
        v-if="may('shipper')"
        type="button"
        class="link"
        @click="bring.mutate({ ...keyOf(lane), brought: false, point: '' })"
      >
        Let them be fetched after all
      </button>
    </template>
    <template v-else-if="standing && !draft.changing">
      <p class="said">
        {{ lane.name }}
        {{ standing.state === "done" ? "fetched" : "fetches" }}
        <b>{{ standing.parcels }} parcels</b>, {{ kilograms(standing.gross_g) }}, at
        {{ standing.spot || "the door" }}, {{ day(standing.day) }} between
        <b>{{ standing.start }}</b> and <b>{{ standing.until }}</b>,
        {{ price(standing.fee_minor) }}.
      </p>
      <p v-if="standing.state === 'asked'" class="press" role="status">
        Being asked for by {{ standing.asked_by }}; the carrier's answer comes here.
      </p>
      <p v-else-if="standing.state === 'cancelling'" class="press" role="status">
        Being cancelled by {{ standing.cancelled_by }}.
      </p>
      <p v-else-if="standing.state === 'missed'" class="stop" role="status">
        ✕ It did not come: {{ standing.words }}. What lay here goes with the next departure.
      </p>
      <p v-else-if="standing.state === 'done'" class="fine">✓ It came, says the carrier.</p>
      <template v-else>
        <p>
          <span class="fine">✓ Booked</span>, confirmation
          <span class="mono">{{ standing.confirmation }}</span>
          <template v-if="lane.by_telephone">. {{ standing.words }}.</template>
        </p>
        <p v-if="standing.words && !lane.by_telephone" class="press">{{ standing.words }}.</p>
        <p v-if="moreThanBooked(lane)" class="stop" role="status">
          ✕ {{ standing.parcels + moreThanBooked(lane) }} parcels lie here, and it is booked for
          {{ standing.parcels }}: change it, or the driver may leave
          {{ moreThanBooked(lane) }} behind.
        </p>
        <p class="mute small">
          It can be changed until {{ clock(standing.change_until, zone) }}. What is bought after
          {{ f.least_span_min ? standing.start : clock(lane.cutoff_at, zone) }} goes with the next
          one.
        </p>
        <p class="acts">
          <template v-if="may('shipper') && new Date(standing.change_until) > now">
            <button type="button" class="link" @click="draft.changing = true">Change it</button>
            <button
              type="button"
              class="link"
              :disabled="cancelling"
              @click="cancel.mutate(standing.id)"
            >
              Cancel the pickup
            </button>
          </template>
          <a class="link" :href="standing.calendar">Calendar file</a>
        </p>
      </template>
    </template>
    <template v-else-if="canAsk">
      <p class="said">
        {{ lane.name }} fetches
        <SentencePart
          v-model="draft.parcels"
          label="Parcels"
          :shown="`${shown.parcels} parcels`"
          :width="5"
        />, {{ kilograms(f.suggested.gross_g) }}, at
        <SentencePart
          v-model="draft.spot"
          label="Spot"
          :shown="shown.spot"
          :choices="f.spots"
          :width="16"
        />, {{ day(lane.day) }} between
        <template v-if="f.least_span_min">
          <SentencePart
            v-model="draft.start"
            label="From"
            :shown="shown.start"
            :bad="badTimes"
            :width="6"
          />
          and
          <SentencePart
            v-model="draft.until"
            label="To"
            :shown="shown.until"
            :bad="badTimes"
            :width="6"
          />,
        </template>
        <template v-else>{{ f.opens }} and {{ f.closes }}, on its round,</template>
        <b>{{ fee ? `for ${price(fee)}` : "free of charge" }}</b>.
        <SentencePart
          v-model="draft.note"
          label="Note for the driver"
          :shown="shown.note || 'Note for the driver'"
          :width="30"
        />
      </p>
      <p v-if="badTimes" class="stop">Write times as 15:00.</p>
      <p v-if="f.refused" class="press" role="status">
        {{ capital(f.refused) }}.
        <template v-if="f.next_day && f.next_day !== lane.day"
          >The next day that can be asked for is {{ day(f.next_day) }}.</template
        >
      </p>
      <p v-if="last && !f.refused" class="mute small">{{ last }}</p>
      <p v-if="pickup?.state === 'refused'" class="stop" role="status">✕ {{ pickup.words }}.</p>
      <p v-if="may('shipper')" class="acts">
        <v-btn :loading="asking" :disabled="!!f.refused || badTimes" @click="send">
          {{ draft.changing ? "Ask for the change" : "Ask for it" }} · {{ price(fee) }}
        </v-btn>
        <button v-if="draft.changing" type="button" class="link" @click="draft.changing = false">
          Leave it as it is
        </button>
        <button
          v-else
          type="button"
          class="link"
          @click="bring.mutate({ ...keyOf(lane), brought: true, point: '' })"
        >
          We take them there
        </button>
      </p>
    </template>
    <template v-else>
      <p v-if="!open" class="mute">Nothing more is fetched for this one.</p>
      <p v-else-if="f.manifest_first && f.going" class="press">
        This carrier comes once its manifest is closed. Close it first, then ask.
      </p>
      <p v-else-if="f.left.length && f.refused" class="press" role="status">
        {{ capital(f.refused) }}.
      </p>
      <p v-else class="mute">
        The van comes from {{ f.opens }} to {{ f.closes }}; nothing lies here for it yet.
      </p>
      <p v-if="last && open && !f.refused" class="mute small">{{ last }}</p>
    </template>
    <ul v-if="f?.left.length" class="left">
      <li v-for="l in f.left" :key="l.order_number + l.words" class="press">
        <RouterLink class="link" :to="`/orders/${l.order_id}`">{{ l.order_number }}</RouterLink>
        stays: {{ l.words }}
      </li>
    </ul>
    <PickupStanding v-if="f && may('shipper')" :lane="lane" />
  </section>
</template>

<style scoped>
.said {
  font-size: 15.5px;
  line-height: 1.75;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 14px;
  align-items: center;
  margin: 8px 0;
}
.left {
  margin: 8px 0 0 18px;
}
</style>
