<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRoute } from "vue-router";
import { type Schemas } from "../../api/client";
import { count, day, money } from "../../shared/format";
import { useKeys } from "../../shared/keyboard";
import { useMe } from "../../shared/session";
import { ErrorNote } from "../../shared/ui";
import CountDialog from "./CountDialog.vue";
import DepartureLane from "./DepartureLane.vue";
import DeparturePile from "./DeparturePile.vue";
import HandingOver from "./HandingOver.vue";
import MissedPickup from "./MissedPickup.vue";
import MoveDialog from "./MoveDialog.vue";
import PickupPanel from "./PickupPanel.vue";
import PickupsList from "./PickupsList.vue";
import { departuresQuery, pickupsQuery } from "./queries";
import { keyOf, needsVan, useDepartures, wishOf } from "./useDepartures";

/** The handovers of a day, one lane each along the clock; the chosen one opens as what lies there and how it is fetched. */
const route = useRoute();
const wanted = ref(typeof route.query.day === "string" ? route.query.day : undefined);
const { data, error, isPending } = useQuery(computed(() => departuresQuery(wanted.value)));
const lanes = computed(() => data.value?.lanes ?? []);
/** Until somebody chooses: the first one with something in it, or still to come into it. */
const asked = ref<number>();
const first = computed(() =>
  Math.max(
    lanes.value.findIndex((l) => l.piles.length || l.to_buy),
    0,
  ),
);
const chosen = computed(() => Math.min(asked.value ?? first.value, lanes.value.length - 1));
const here = computed(() => lanes.value[chosen.value]);
const labels = computed(() =>
  lanes.value.reduce((n, lane) => n + lane.piles.reduce((m, p) => m + p.labels, 0), 0),
);
const unprinted = computed(() =>
  lanes.value.reduce((n, lane) => n + lane.piles.reduce((m, p) => m + p.labels - p.printed, 0), 0),
);
const toBuy = computed(() => lanes.value.reduce((n, lane) => n + lane.to_buy, 0));
const said = computed(() =>
  [
    count(labels.value, "label"),
    unprinted.value ? `${unprinted.value} not printed` : "",
    toBuy.value ? `${count(toBuy.value, "order")} still to buy` : "",
  ]
    .filter(Boolean)
    .join(", "),
);
function show(d: string): void {
  wanted.value = d;
  asked.value = undefined;
}
const turn = (by: number) => {
  const days = data.value?.days ?? [];
  const at = days.indexOf(data.value?.day ?? "") + by;
  if (days[at]) show(days[at]);
};
const { may } = useMe();
const { ask, close, dropped, fresh } = useDepartures();
const { isPending: asking } = ask;
/** Vans that did not come stay on top, whatever day is shown, until somebody has the carrier's answer. */
const { data: pickups } = useQuery(pickupsQuery);
const missed = computed(() => pickups.value?.pickups.filter((p) => p.open) ?? []);
const needed = computed(() => lanes.value.filter(needsVan));
const fees = computed(() => needed.value.reduce((n, l) => n + (l.fetching?.fee_minor ?? 0), 0));
const currency = computed(() => lanes.value[0]?.currency ?? "EUR");
const price = (minor: number) => (minor ? money(minor, currency.value) : "free");
const manifests = computed(() =>
  lanes.value.flatMap((l) => (l.manifest ? [l.manifest.number] : [])),
);
const counting = ref(false);
const moving = ref<{ service?: string; to?: string }>();
/** A stack that hangs on the pointer, until it is let go over a day. */
const hanging = ref<Schemas["PileOut"]>();
function drop(to: string): void {
  if (hanging.value && to !== here.value?.day)
    moving.value = { service: hanging.value.service, to };
  hanging.value = undefined;
}
function lift(lane: Schemas["LaneOut"], service: string): void {
  asked.value = lanes.value.indexOf(lane);
  hanging.value = lane.piles.find((p) => p.service === service);
}
function askAll(): void {
  if (!needed.value.length || !may("shipper") || asking.value) return;
  ask.mutate(needed.value.map((l) => wishOf(l, l.fetching?.fee_minor ?? 0)));
}
const canClose = (lane?: Schemas["LaneOut"]) =>
  lane && lane.state === "open" && lane.piles.length > 0 && may("shipper", "packer");
useKeys({
  a: askAll,
  m: () => canClose(here.value) && close.mutate(keyOf(here.value!)),
  d: () => {
    if (here.value?.piles.length && !here.value.handed_over_at && may("shipper", "packer"))
      counting.value = true;
  },
  l: () => {
    const open = here.value?.state === "open" || here.value?.state === "missed";
    if (open && here.value!.piles.length && may("shipper")) moving.value = {};
  },
  ArrowDown: () => (asked.value = Math.min(chosen.value + 1, lanes.value.length - 1)),
  ArrowUp: () => (asked.value = Math.max(chosen.value - 1, 0)),
  ArrowRight: () => turn(1),
  ArrowLeft: () => turn(-1),
});
</script>

<template>
  <div class="screen">
    <div class="page" tabindex="0" role="region" aria-label="Departures">
      <div class="head">
        <h1>Departures</h1>
        <span v-if="data" class="mute">{{ day(data.day) }}: {{ said }}</span>
        <span class="grow" />
        <button
          v-for="(d, i) in data?.days"
          :key="d"
          type="button"
          class="chip"
          :aria-pressed="d === data?.day"
          :class="{ target: hanging && d !== data?.day }"
          @click="show(d)"
          @dragover.prevent
          @drop.prevent="drop(d)"
        >
          {{ i === 0 ? "Today" : day(d) }}
        </button>
      </div>
      <ErrorNote :error="error ?? ask.error.value ?? close.error.value" />
      <p v-for="words in dropped" :key="words" class="stop" role="status">
        ✕ Not asked for. {{ words }}.
      </p>
      <MissedPickup v-for="p in missed" :key="p.id" :pickup="p" @done="fresh" />
      <p v-if="isPending" class="empty">Fetching the departures…</p>
      <p v-else-if="!lanes.length" class="empty panel">
        No carrier yet, so nothing can leave. Add one in Set-up, Carriers.
      </p>
      <template v-else-if="data">
        <div class="lanes" role="listbox" aria-label="Departures of the day">
          <DepartureLane
            v-for="(lane, i) in lanes"
            :key="lane.carrier + lane.network"
            :lane="lane"
            :chosen="lane === here"
            @choose="asked = i"
            @lift="lift(lane, $event)"
            @let-go="hanging = undefined"
          />
        </div>
        <div v-if="here" class="three">
          <DeparturePile :lane="here" @later="moving = { service: $event.service }" />
          <PickupPanel :lane="here" />
          <HandingOver :lane="here" @count="counting = true" />
        </div>
        <PickupsList :currency="currency" />
      </template>
    </div>
    <div
      v-if="needed.length || manifests.length"
      class="tray"
      role="region"
      aria-label="Pickups to ask for"
    >
      <div>
        <template v-if="needed.length">
          <b>{{ count(needed.length, "pickup") }} to ask for</b>
          <span>{{
            needed.map((l) => `${l.name} ${price(l.fetching?.fee_minor ?? 0)}`).join(" · ")
          }}</span>
        </template>
        <b v-else>Nothing is left to ask for on {{ day(data?.day) }}</b>
      </div>
      <span class="grow" />
      <a
        v-for="n in manifests"
        :key="n"
        class="link"
        :href="`/api/manifests/${n}.pdf`"
        target="_blank"
        rel="noopener"
        >Manifest {{ n }}</a
      >
      <v-btn v-if="needed.length && may('shipper')" :loading="asking" size="large" @click="askAll">
        Ask for {{ count(needed.length, "pickup") }} · {{ price(fees) }} <kbd class="key">a</kbd>
      </v-btn>
    </div>
    <CountDialog v-if="counting && here" :lane="here" @close="counting = false" />
    <MoveDialog
      v-if="moving && here && data"
      :lane="here"
      :service="moving.service"
      :days="data.days"
      :to="moving.to"
      @close="moving = undefined"
    />
  </div>
</template>

<style scoped>
.screen {
  display: flex;
  flex-direction: column;
  height: 100%;
}
.screen > .page {
  flex: 1;
  min-height: 0;
}
.three {
  display: grid;
  grid-template-columns: minmax(0, 10fr) minmax(0, 11fr) minmax(0, 8fr);
  gap: 26px;
  margin-top: 16px;
}
.target {
  border-style: dashed;
  border-color: var(--mul);
}
.tray {
  display: flex;
  gap: 18px;
  align-items: center;
  padding: 10px 18px;
  background: var(--sheet);
  border-top: 1px solid var(--line);
}
.tray b {
  display: block;
  font-size: 15px;
}
.tray div span {
  font-size: 12px;
  color: var(--mute);
}
.key {
  margin-left: 8px;
}
@media (max-width: 1100px) {
  .three {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  }
}
.lanes {
  border: 1px solid var(--line);
  background: var(--sheet);
}
</style>
