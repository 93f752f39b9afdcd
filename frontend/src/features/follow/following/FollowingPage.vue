<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, nextTick, ref } from "vue";
import { useRouter } from "vue-router";
import { carriersQuery } from "../../shop";
import ClaimsList from "./ClaimsList.vue";
import FollowedNumbers from "./FollowedNumbers.vue";
import FollowingFilters from "./FollowingFilters.vue";
import LetterDialog from "./LetterDialog.vue";
import UnknownCodes from "./UnknownCodes.vue";
import UsualBands from "./UsualBands.vue";
import { useAsks } from "./useAsks";
import { ALL, followingQuery, openClaim, seeTo, type Deed, type Parcel } from "./queries";
import { country, count, day, dayAndClock } from "../../../shared/format";
import { useKeys } from "../../../shared/keyboard";
import { useMe } from "../../../shared/session";
import { ErrorNote, FormDialog } from "../../../shared/ui";

/** Where everything is: usual against now, then what needs somebody, the worst first, with what is done about it. */
const router = useRouter();
const client = useQueryClient();
const { zone, may } = useMe();
const { data, error, isPending } = useQuery(followingQuery);
const { data: carriers } = useQuery(carriersQuery);
const monograms = computed(() =>
  Object.fromEntries((carriers.value ?? []).map((c) => [c.code, c.monogram])),
);
const KINDS: Record<string, string> = {
  lost: "Lost",
  refused: "Refused",
  address: "Address",
  damaged: "Damaged",
  stuck: "Silent",
  waiting: "Waiting",
  returning: "Coming back",
  customs: "Customs",
  problem: "Held up",
  late: "Late",
};
const all = computed(() => data.value?.troubles ?? []);
const { asks, rows, counts } = useAsks(all);
const carrierNames = computed(() =>
  Object.fromEntries((carriers.value ?? []).map((c) => [c.code, c.name])),
);
const picked = ref<number>();
const here = computed<Parcel | undefined>(
  () => rows.value.find((p) => p.shipment_id === picked.value) ?? rows.value[0],
);
const writing = ref<Deed>();
const seeing = ref(false);
const words = ref("");
const said = ref("");
const acts = computed(() => may("shipper", "care"));
const FIRST: Record<string, Deed> = {
  stuck: "carrier",
  customs: "carrier",
  problem: "carrier",
};
const firstDeed = (p: Parcel): Deed => FIRST[p.trouble?.kind ?? ""] ?? "buyer";
const NAMES: Record<Deed, string> = { carrier: "Ask the carrier", buyer: "Tell the buyer" };
const DONE: Record<string, string> = {
  asked_carrier: "carrier asked",
  told_buyer: "buyer told",
  seen_to: "seen to",
};
const MARKS: Record<string, string> = { late: "○", customs: "○", waiting: "○", returning: "○" };
const done = (p: Parcel) =>
  p.deeds.map((d) => `${DONE[d.kind] ?? d.kind} ${day(d.at)} by ${d.who}`).join("; ");
const seen = (p: Parcel) =>
  [p.words, p.spot, p.seen_at ? dayAndClock(p.seen_at, zone.value) : ""].filter(Boolean).join(", ");
function step(by: number): void {
  const at = rows.value.findIndex((p) => p.shipment_id === here.value?.shipment_id);
  const next = rows.value[Math.min(Math.max(at + by, 0), rows.value.length - 1)];
  picked.value = next?.shipment_id;
  void nextTick(() => document.querySelector("tr.here")?.scrollIntoView({ block: "nearest" }));
}
function begin(what: Deed, p = here.value): void {
  if (!p || !acts.value) return;
  picked.value = p.shipment_id;
  writing.value = what;
}
const see = useMutation({
  mutationFn: () => seeTo(here.value!.shipment_id, words.value),
  onSuccess: () => {
    seeing.value = false;
    words.value = "";
    void client.invalidateQueries({ queryKey: ["tracking"] });
  },
});
const { isPending: noting } = see;
/** What is lost or damaged can be claimed for, and what has been stuck for so long that it may be. */
const claimable = computed(() =>
  ["lost", "damaged", "stuck"].includes(here.value?.trouble?.kind ?? ""),
);
const claim = useMutation({
  mutationFn: () =>
    openClaim(
      here.value!.shipment_id,
      here.value!.trouble?.kind === "damaged" ? "damaged" : "lost",
    ),
  onSuccess: (made) => {
    said.value = `The claim for ${made.order_number} is open; it stands under Claims.`;
    void client.invalidateQueries({ queryKey: ["tracking"] });
  },
});
const story = () => here.value && router.push(`/orders/${here.value.order_id}?view=all`);
useKeys({
  ArrowDown: () => step(1),
  ArrowUp: () => step(-1),
  j: () => step(1),
  k: () => step(-1),
  a: () => begin("carrier"),
  t: () => begin("buyer"),
  s: () => acts.value && here.value && (seeing.value = true),
  c: () => acts.value && claimable.value && claim.mutate(),
  w: story,
  Enter: story,
});
</script>

<template>
  <div class="screen">
    <div class="page" tabindex="0" role="region" aria-label="Tracking">
      <div class="head">
        <h1>Tracking</h1>
        <span v-if="data" class="mute"
          >{{ count(data.under_way, "parcel") }} under way;
          {{ all.length ? `${all.length} to look at` : "nothing needs anybody" }}</span
        >
        <span v-if="said" role="status" class="fine">✓ {{ said }}</span>
      </div>
      <ErrorNote :error="error ?? see.error.value ?? claim.error.value" />
      <p v-if="isPending" class="empty">Asking where everything is…</p>
      <p v-else-if="data && !data.under_way" class="empty panel">
        Nothing is under way. What is handed over is followed here from its first scan on.
      </p>
      <template v-else-if="data">
        <UsualBands
          :bands="data.bands"
          :monograms="monograms"
          :chosen="here?.shipment_id"
          @pick="picked = $event"
        />
        <FollowingFilters
          v-if="all.length"
          v-model="asks"
          :parcels="all"
          :counts="counts"
          :kinds="KINDS"
          :carriers="carrierNames"
        />
        <p v-if="all.length && !rows.length" class="empty panel">
          Nothing that needs somebody is like that.
          <button type="button" class="link" @click="asks = ALL">Show all again</button>
        </p>
        <table v-if="rows.length" class="list" aria-label="What needs somebody">
          <thead>
            <tr>
              <th>Order</th>
              <th>To</th>
              <th>What is wrong</th>
              <th>Goes by</th>
              <th>Last heard</th>
              <th>Do</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="p in rows"
              :key="p.label_id"
              :class="{ here: p.shipment_id === here?.shipment_id }"
              :aria-current="p.shipment_id === here?.shipment_id ? 'true' : undefined"
              @click="picked = p.shipment_id"
            >
              <td>
                <RouterLink class="plain mono" :to="`/orders/${p.order_id}?view=all`">{{
                  p.order_number
                }}</RouterLink>
              </td>
              <td>{{ p.name }}, {{ p.city }}</td>
              <td :class="MARKS[p.trouble!.kind] ? 'press' : 'stop'">
                <b>{{ MARKS[p.trouble!.kind] ?? "▲" }} {{ p.trouble!.words }}</b>
                <span v-if="p.deeds.length" class="small mute"><br />{{ done(p) }}</span>
              </td>
              <td class="nowrap">
                <span class="mono-gram">{{ monograms[p.carrier] ?? "" }}</span> {{ p.service_name }}
              </td>
              <td class="mute">{{ seen(p) }}</td>
              <td class="nowrap">
                <button v-if="acts" type="button" class="link" @click.stop="begin(firstDeed(p), p)">
                  {{ NAMES[firstDeed(p)] }}
                </button>
              </td>
            </tr>
          </tbody>
        </table>
        <UnknownCodes />
      </template>
      <ClaimsList />
      <FollowedNumbers v-if="data" />
    </div>
    <div v-if="here && acts" class="tray" role="region" aria-label="This parcel">
      <div>
        <b>{{ here.order_number }}</b>
        <span class="mute"
          >{{ here.number }}, {{ here.city }} {{ country(here.country)
          }}<template v-if="here.arrives">, promised by {{ day(here.arrives) }}</template></span
        >
      </div>
      <span class="grow" />
      <button type="button" class="link" @click="seeing = true">Seen to <kbd>s</kbd></button>
      <button v-if="claimable" type="button" class="link" @click="claim.mutate()">
        Claim it <kbd>c</kbd>
      </button>
      <button type="button" class="link" @click="story">Its order <kbd>w</kbd></button>
      <v-btn variant="outlined" @click="begin(firstDeed(here) === 'buyer' ? 'carrier' : 'buyer')">
        {{ NAMES[firstDeed(here) === "buyer" ? "carrier" : "buyer"] }}
        <kbd>{{ firstDeed(here) === "buyer" ? "a" : "t" }}</kbd>
      </v-btn>
      <v-btn size="large" @click="begin(firstDeed(here))">
        {{ NAMES[firstDeed(here)] }} <kbd>{{ firstDeed(here) === "buyer" ? "t" : "a" }}</kbd>
      </v-btn>
    </div>
    <LetterDialog
      v-if="writing && here"
      :parcel="here"
      :to="writing"
      @close="writing = undefined"
      @sent="
        said = $event;
        writing = undefined;
      "
    />
    <FormDialog
      v-if="seeing && here"
      :title="`${here.order_number} is seen to`"
      :error="see.error.value"
      @close="seeing = false"
      @send="see.mutate()"
    >
      <p class="mute">It is shown again as soon as something new is heard of it.</p>
      <v-text-field v-model="words" v-first label="What was done" maxlength="200" required />
      <template #actions
        ><v-btn type="submit" :loading="noting" :disabled="!words.trim()">Note it</v-btn></template
      >
    </FormDialog>
  </div>
</template>

<style scoped>
.list {
  width: 100%;
  margin-top: 14px;
  border-collapse: collapse;
}
.list th,
.list td {
  padding: 8px 10px;
  text-align: left;
  vertical-align: top;
  border-bottom: 1px solid var(--line);
}
.list th {
  font-size: 12px;
  color: var(--mute);
}
.list a {
  color: inherit;
  white-space: nowrap;
}
.list tr.here td {
  background: var(--mul-soft);
}
.list tr.here td:first-child {
  box-shadow: inset 3px 0 var(--mul);
}
kbd {
  margin-left: 6px;
}
.tray .link {
  white-space: nowrap;
}
</style>
