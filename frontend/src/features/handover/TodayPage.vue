<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import { type Schemas } from "../../api/client";
import { clock, count, day, localDay, money, timeLeft } from "../../shared/format";
import { useKeys } from "../../shared/keyboard";
import { useSelection } from "../../shared/selection";
import { now, useMe } from "../../shared/session";
import { fetchChannels, pullNow } from "../shop";
import FirstHour from "./FirstHour.vue";
import WaitingForYou from "./WaitingForYou.vue";
import { vanClass, vanWords } from "./vans";
import { pickClear, takeSamplesAway, todayQuery } from "./queries";
import { ErrorNote } from "../../shared/ui";

const { zone, currency, may } = useMe();
const router = useRouter();
const client = useQueryClient();
const selection = useSelection();
const { data: today, error, isPending } = useQuery(todayQuery);

/** Without these no label can be bought: then setting up comes before the day. */
const lacking = computed(
  () => today.value?.first_hour.filter((step) => step.needed && !step.done).length ?? 0,
);
const ready = computed(() => today.value?.departures.reduce((n, d) => n + d.to_buy, 0) ?? 0);
const gone = computed(
  () => today.value?.departures.reduce((n, d) => n + d.bought + d.printed, 0) ?? 0,
);
const stopped = computed(
  () =>
    new Set(today.value?.snags.filter((s) => s.level === "stops").flatMap((s) => s.order_ids)).size,
);
const first = computed(() =>
  today.value?.departures.find((d) => d.to_buy && new Date(d.cutoff_at) > now.value),
);
const dayShown = computed(() => today.value?.departures[0]?.day ?? localDay(now.value, zone.value));

/** A segment too short for its words shows its number alone. */
function wordy(d: Schemas["DepartureOut"], n: number): boolean {
  return n / (d.printed + d.bought + d.to_buy) > 0.14;
}
async function toBuy(d: Schemas["DepartureOut"]): Promise<void> {
  selection.clear();
  const wanted = new Set(d.order_ids);
  selection.setAll((await pickClear()).orders.filter((row) => wanted.has(row.id)));
  await router.push("/orders");
}
function decide(group: Schemas["SnagGroupOut"]): void {
  void router.push({ path: `/orders/${group.order_ids[0]}`, query: { view: "snags", fix: "1" } });
}
/** A new shop's list can be left for this visit; it is there again at the next. */
const left = ref(false);
/** The list of what is set up was asked for. */
const looks = ref(false);
const away = useMutation({
  mutationFn: takeSamplesAway,
  onSuccess: () => client.invalidateQueries(),
});
const pull = useMutation({
  mutationFn: async () => {
    const channels = (await fetchChannels()).filter(
      (c) => c.kind === "webshop" && c.state === "connected",
    );
    const each = await Promise.all(channels.map(async (c) => await pullNow(c.code)));
    return {
      made: each.reduce((n, c) => n + c.made, 0),
      kept_back: each.reduce((n, c) => n + c.kept_back, 0),
    };
  },
  onSuccess: () => client.invalidateQueries(),
});
useKeys(
  Object.fromEntries(
    [1, 2, 3, 4, 5, 6, 7, 8, 9].map((n) => [
      String(n),
      () => {
        const g = today.value?.snags[n - 1];
        if (g) decide(g);
      },
    ]),
  ),
);
</script>

<template>
  <div class="page">
    <ErrorNote v-if="error" :error="error" />
    <p v-else-if="isPending" class="empty">Counting what must leave today…</p>
    <FirstHour
      v-else-if="today && (looks || (lacking && !left))"
      :steps="today.first_hour"
      @leave="
        left = true;
        looks = false;
      "
    />
    <template v-else-if="today">
      <p v-if="today.first_hour.length" class="note">
        {{
          lacking
            ? "Something needed for the first label is still missing."
            : "Mails do not go yet: buyers are told nothing."
        }}
        <button class="link" type="button" @click="looks = true">Go on setting up</button>
      </p>
      <p v-if="today.samples && may('shipper')" class="note">
        Six sample orders are among the open ones.
        <button class="link" type="button" @click="away.mutate(today.samples)">
          Take them away
        </button>
        <ErrorNote :error="away.error.value" />
      </p>
      <div class="head">
        <div>
          <h1>
            {{ day(dayShown) }}: {{ count(ready, "order") }} ready to buy,
            {{ count(gone, "label") }} bought
          </h1>
          <p class="mute sub">
            <template v-if="first"
              >{{ first.name }} is next, {{ timeLeft(first.cutoff_at, now, zone) }}:
              {{ count(first.to_buy, "label") }} to buy.
            </template>
            <template v-if="stopped">{{ count(stopped, "order") }} need a decision first.</template>
            <template v-else>No order is stopped.</template>
          </p>
        </div>
        <span class="grow" />
        <v-btn
          v-if="may('shipper')"
          variant="text"
          :loading="pull.isPending.value"
          @click="pull.mutate()"
          >Pull orders now</v-btn
        >
      </div>
      <ErrorNote :error="pull.error.value" />
      <p v-if="pull.data.value" class="note" role="status">
        {{ count(pull.data.value.made, "new order") }}, {{ pull.data.value.kept_back }} of them kept
        back.
      </p>
      <div v-if="today.departures.length" class="panel">
        <div v-for="d in today.departures" :key="d.carrier + d.network" class="departure">
          <div>
            <div class="time" :class="{ press: d === first }">{{ clock(d.cutoff_at, zone) }}</div>
            <span class="small mute">{{ timeLeft(d.cutoff_at, now, zone) }}</span>
          </div>
          <div>
            <span class="mono-gram">{{ d.monogram }}</span> <b>{{ d.name }}</b><br />
            <span class="small mute"
              >{{ day(d.day)
              }}<template v-if="d.to_buy">
                · {{ money(d.to_buy_minor, currency) }} to buy</template
              ></span
            >
          </div>
          <div
            class="bar"
            role="img"
            :aria-label="`${d.printed} printed, ${d.bought} bought, ${d.to_buy} to buy`"
          >
            <span v-if="d.printed" class="printed" :style="{ flex: d.printed }"
              >{{ d.printed }}<span v-if="wordy(d, d.printed)">&nbsp;printed</span></span
            >
            <span v-if="d.bought" class="bought" :style="{ flex: d.bought }"
              >{{ d.bought }}<span v-if="wordy(d, d.bought)">&nbsp;bought</span></span
            >
            <span v-if="d.to_buy" class="todo" :style="{ flex: d.to_buy }"
              >{{ d.to_buy }}<span v-if="wordy(d, d.to_buy)">&nbsp;to buy</span></span
            >
            <span v-if="!d.printed && !d.bought && !d.to_buy" class="none">{{
              new Date(d.cutoff_at) < now ? "nothing went with it" : "nothing goes with it yet"
            }}</span>
          </div>
          <div class="right">
            <button v-if="d.to_buy && may('shipper')" class="link" type="button" @click="toBuy(d)">
              Choose {{ d.to_buy }} to buy
            </button>
            <RouterLink
              v-if="vanWords(d, zone)"
              class="van small"
              :class="vanClass(d)"
              :to="`/departures?day=${d.day}`"
              >{{ vanWords(d, zone) }}</RouterLink
            >
          </div>
        </div>
      </div>
      <p v-else class="empty panel">No carrier is set up, so nothing can depart.</p>
      <div class="two">
        <section>
          <h2>Needs a decision</h2>
          <p v-if="!today.snags.length" class="mute">
            Nothing does. Orders with a snag would be listed here.
          </p>
          <table v-else class="plain-table" aria-label="Needs a decision">
            <tbody>
              <tr v-for="(g, i) in today.snags" :key="g.code + g.about + g.level">
                <td>
                  <span class="snag" :class="g.level">{{ g.words }}</span>
                </td>
                <td class="nowrap">{{ count(g.order_ids.length, "order") }}</td>
                <td class="right nowrap">
                  <button class="link" type="button" @click="decide(g)">
                    {{ g.order_ids.length > 1 ? "Look at the first" : "Look" }}
                  </button>
                  <span v-if="i < 9" class="key">{{ i + 1 }}</span>
                </td>
              </tr>
            </tbody>
          </table>
        </section>
        <WaitingForYou :today="today" />
      </div>
    </template>
  </div>
</template>

<style scoped>
.sub {
  margin: 2px 0 6px;
}
.departure {
  display: grid;
  grid-template-columns: 96px 230px minmax(0, 1fr) 170px;
  gap: 12px;
  align-items: center;
  padding: 12px 18px;
  border-bottom: 1px solid var(--line);
}
.departure:last-child {
  border: 0;
}
.time {
  font-size: 17px;
  font-weight: 650;
}
.bar {
  display: flex;
  gap: 1px;
  height: 26px;
  font-size: 12px;
  font-weight: 600;
}
.bar > span {
  display: flex;
  align-items: center;
  padding: 0 7px;
  min-width: 24px;
  overflow: hidden;
  white-space: nowrap;
  color: var(--ink);
}
.bar .printed {
  background: var(--leaf);
  color: var(--sheet);
}
.bar .bought {
  background: var(--leaf-mid);
}
.bar .todo {
  background: var(--todo);
}
.bar .none {
  color: var(--mute);
  font-weight: 400;
  padding-left: 0;
}
.two {
  display: grid;
  grid-template-columns: 3fr 2fr;
  gap: 26px;
  margin-top: 20px;
}
.van {
  display: block;
  line-height: 24px;
}
@media (max-width: 1100px) {
  .departure {
    grid-template-columns: 84px 190px minmax(0, 1fr) 140px;
    padding: 12px;
  }
}
</style>
