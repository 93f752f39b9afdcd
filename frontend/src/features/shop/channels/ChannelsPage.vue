<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import {
  connectChannel,
  channelsQuery,
  channelAsideQuery,
  channelLogQuery,
  channelCountsQuery,
  saveMapping,
  pullNow,
  testChannel,
  pauseChannel,
  fetchConsent,
} from "../queries";
import { words, type Schemas } from "../../../api/client";
import { count, dayAndClock } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DataTable, CheckField, ErrorNote, SelectField } from "../../../shared/ui";
import ChannelLog from "./ChannelLog.vue";
import ConnectStore from "./ConnectStore.vue";
import FeedsList from "./FeedsList.vue";
import { said } from "./said";
import NotUnderstood from "./NotUnderstood.vue";
import StockChoice from "./StockChoice.vue";

const client = useQueryClient();
const route = useRoute();
const router = useRouter();
const { zone, may, me } = useMe();
type Channel = Schemas["ChannelOut"];
const { data: channels, error, isPending } = useQuery(channelsQuery);
const webshops = computed(() => (channels.value ?? []).filter((c) => c.kind === "webshop"));
const openCode = ref(typeof route.query.channel === "string" ? route.query.channel : "");
const opened = computed(
  () => webshops.value.find((c) => c.code === openCode.value) ?? webshops.value[0],
);
const { data: log } = useQuery(computed(() => channelLogQuery(opened.value?.code)));
const { data: upstream, error: noCounts } = useQuery(
  computed(() =>
    channelCountsQuery(opened.value?.code, opened.value?.state === "connected" && may("shipper")),
  ),
);
const { data: aside } = useQuery(computed(() => channelAsideQuery(opened.value?.code)));
const waiting = computed(() => Object.entries(aside.value?.not_mapped ?? {}));
const mapping = ref<Schemas["ChannelMapping"]>();
watch(
  opened,
  (c) => {
    if (c)
      mapping.value = {
        states: { ...c.states } as Schemas["ChannelMapping"]["states"],
        payments: { ...c.payments } as Schemas["ChannelMapping"]["payments"],
        write_back: { ...c.write_back },
        every_minutes: c.every_minutes,
        brand: c.brand,
        mail_from: c.mail_from,
        stock: c.stock,
      };
  },
  { immediate: true },
);
const FATES = [
  ["fetch", "fetch"],
  ["hold", "hold"],
  ["leave_out", "leave out, keep"],
  ["cancelled", "is cancelled"],
  ["ignore", "do not fetch"],
] as const;
/** What a word of the channel can mean here; one that nobody mapped keeps its orders back. */
const mapped = (choices: readonly (readonly [string, string])[], now: string | undefined) => [
  ...(now ? [] : [{ value: "", title: "not mapped: hold" }]),
  ...choices.map(([value, title]) => ({ value, title })),
];
const PAYMENTS = [
  ["paid", "paid"],
  ["pay_on_delivery", "pay on delivery"],
  ["unpaid", "unpaid: hold"],
] as const;
const BACK = [
  ["shipped", "shipped, with tracking numbers"],
  ["delivered", "delivered"],
  ["paid", "paid at the door"],
  ["refunded", "refunded"],
] as const;
const names = (
  mine: Record<string, string> | undefined,
  theirs: Record<string, number> | undefined,
) => [...new Set([...Object.keys(theirs ?? {}), ...Object.keys(mine ?? {})])];
const fresh = () => client.invalidateQueries();
const code = computed(() => opened.value?.code ?? "");
const save = useMutation({
  mutationFn: async () => saveMapping(code.value, mapping.value!),
  onSuccess: fresh,
});
const pull = useMutation({
  mutationFn: async () => pullNow(code.value),
  onSettled: fresh,
});
const test = useMutation({
  mutationFn: async () => testChannel(code.value),
  onSettled: fresh,
});
const pause = useMutation({
  mutationFn: async (paused: boolean) => pauseChannel(code.value, { paused }),
  onSuccess: fresh,
});
const consent = useMutation({
  mutationFn: async () => fetchConsent(code.value),
  onSuccess: (found) => {
    if (found.url) window.location.assign(found.url);
  },
});
const connect = useMutation({
  mutationFn: async ([code, given]: [string, string]) => connectChannel(code, { code: given }),
  onSettled: async () => {
    await router.replace({ path: route.path, query: { channel: openCode.value } });
    await fresh();
  },
});
// Back from the consent step with a code to be exchanged.
if (typeof route.query.code === "string" && openCode.value)
  connect.mutate([openCode.value, route.query.code]);
const connecting = ref(false);
function connected(made: string): void {
  connecting.value = false;
  openCode.value = made;
}
const failure = computed(
  () =>
    save.error.value ??
    pull.error.value ??
    pause.error.value ??
    consent.error.value ??
    connect.error.value,
);
function stateWords(c: Channel): string {
  return (
    { asked: "waits for your consent", connected: "connected", paused: "paused" }[c.state] ??
    c.state
  );
}
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Channels</h1>
      <span class="mute">Where orders come from, and what each is told</span>
      <span class="grow" />
      <v-btn v-if="may()" @click="connecting = true">Connect a store</v-btn>
    </div>
    <ErrorNote :error="error ?? failure" />
    <p v-if="isPending" class="empty">Fetching the channels…</p>
    <p v-else-if="!webshops.length" class="empty panel">
      No store yet. Orders can still be imported from spreadsheets or typed by hand.
    </p>
    <div v-else class="two">
      <nav class="panel" aria-label="Channels">
        <button
          v-for="c in webshops"
          :key="c.code"
          type="button"
          class="pick"
          :aria-current="c.code === opened?.code"
          @click="openCode = c.code"
        >
          <b>{{ c.name }}</b><span :class="c.state === 'connected' ? 'fine' : 'press'">{{
            stateWords(c)
          }}</span>
          <span class="small mute">{{
            c.last_pull_at
              ? `pulled ${dayAndClock(c.last_pull_at, zone)}: ${said(c.last_pull)}`
              : "not pulled yet"
          }}</span>
        </button>
      </nav>
      <section v-if="opened && mapping">
        <div class="head">
          <h2>{{ opened.name }}</h2>
          <span class="grow" />
          <v-btn
            v-if="opened.state === 'asked' && may()"
            :loading="consent.isPending.value"
            @click="consent.mutate()"
            >Give consent</v-btn
          >
          <template v-else>
            <v-btn
              v-if="may('shipper')"
              variant="outlined"
              :loading="test.isPending.value"
              @click="test.mutate()"
              >Test</v-btn
            >
            <v-btn
              v-if="may()"
              variant="outlined"
              @click="pause.mutate(opened.state !== 'paused')"
              >{{ opened.state === "paused" ? "Go on" : "Pause" }}</v-btn
            >
            <v-btn
              v-if="may('shipper')"
              :disabled="opened.state !== 'connected'"
              :loading="pull.isPending.value"
              @click="pull.mutate()"
              >Pull now</v-btn
            >
          </template>
        </div>
        <p v-if="test.data.value" class="note" :class="{ bad: !test.data.value.ok }" role="status">
          {{ test.data.value.words }}
        </p>
        <p v-if="pull.data.value" class="note" role="status">{{ said(pull.data.value) }}</p>
        <p v-if="noCounts" class="note bad">The counts cannot be shown: {{ words(noCounts) }}</p>
        <p v-if="waiting.length" class="note bad">
          Nobody has said what
          {{ waiting.map(([state, n]) => `“${state}” (${count(n, "order")})`).join(", ") }} means;
          these orders wait until it is mapped.
        </p>
        <div class="maps">
          <DataTable
            label="States"
            :columns="['Order state there', { title: 'Orders now', figure: true }, 'Becomes']"
            :rows="names(mapping.states, upstream?.states)"
            :row-key="(s) => s"
            ><template #row="{ row: s }">
              <td>{{ s.replaceAll("_", " ") }}</td>
              <td class="right">{{ upstream ? (upstream.states[s] ?? 0) : "–" }}</td>
              <td>
                <SelectField
                  :label="`What ${s} becomes`"
                  :model-value="mapping.states[s] ?? ''"
                  :disabled="!may()"
                  :items="mapped(FATES, mapping.states[s])"
                  @update:model-value="mapping.states[s] = $event as never"
                />
              </td> </template
          ></DataTable>
          <DataTable
            label="Payments"
            :columns="['Payment there', { title: 'Orders now', figure: true }, 'Means']"
            :rows="names(mapping.payments, upstream?.payments)"
            :row-key="(s) => s"
            ><template #row="{ row: s }">
              <td>{{ s.replaceAll("_", " ") }}</td>
              <td class="right">{{ upstream ? (upstream.payments[s] ?? 0) : "–" }}</td>
              <td>
                <SelectField
                  :label="`What ${s} means`"
                  :model-value="mapping.payments[s] ?? ''"
                  :disabled="!may()"
                  :items="mapped(PAYMENTS, mapping.payments[s])"
                  @update:model-value="mapping.payments[s] = $event as never"
                />
              </td> </template
          ></DataTable>
        </div>
        <StockChoice v-model="mapping.stock" :channel="opened" />
        <div class="row">
          <span class="mute">Tell it when an order is</span>
          <CheckField
            v-for="[k, w] in BACK"
            :key="k"
            :model-value="mapping.write_back?.[k] ?? false"
            :label="w"
            :disabled="!may()"
            @update:model-value="mapping.write_back = { ...mapping.write_back, [k]: $event }"
          />
          <label
            >pull every
            <input
              v-model.number="mapping.every_minutes"
              class="number"
              type="number"
              min="1"
              max="1440"
              :disabled="!may()"
            />
            minutes</label
          >
          <label>brand <input v-model="mapping.brand" maxlength="80" :disabled="!may()" /></label>
          <label
            >mails come from
            <input
              v-model="mapping.mail_from"
              maxlength="200"
              placeholder="as the shop’s"
              :disabled="!may()"
          /></label>
          <v-btn v-if="may()" :loading="save.isPending.value" @click="save.mutate()"
            >Save the mapping</v-btn
          >
        </div>
        <p v-if="save.data.value" class="note" role="status">
          {{
            save.data.value.coming
              ? `Saved. ${count(save.data.value.coming, "order")} left out before will come with the next pull.`
              : "Saved. Orders that were kept back follow it already."
          }}
        </p>
        <NotUnderstood v-if="aside?.unreadable" :aside="aside" />
        <ChannelLog :lines="log" />
        <p v-if="me?.standins_url" class="mute small">
          The simulated channels can be played with
          <a class="link" :href="me.standins_url" target="_blank" rel="noopener"
            >on their own page</a
          >.
        </p>
      </section>
    </div>
    <FeedsList v-if="may('shipper')" />
    <ConnectStore v-if="connecting" @close="connecting = false" @connected="connected" />
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 250px minmax(0, 1fr);
  gap: 22px;
  align-items: start;
}
@media (max-width: 1100px) {
  .two {
    grid-template-columns: 1fr;
  }
}
.pick {
  display: grid;
  width: 100%;
  text-align: left;
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--line);
  padding: 9px 14px;
  cursor: pointer;
  border-left: 3px solid transparent;
}
.pick[aria-current="true"] {
  border-left-color: var(--mul);
  background: var(--mul-soft);
}
.maps {
  display: grid;
  grid-template-columns: 6fr 5fr;
  gap: 14px;
  align-items: start;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
  margin: 12px 0;
}
.row label > input {
  font: inherit;
  font-size: 13px;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 3px 6px;
}
.number {
  width: 70px;
}
.nowrap {
  white-space: nowrap;
}
h2 {
  margin: 4px 0 6px;
}
</style>
