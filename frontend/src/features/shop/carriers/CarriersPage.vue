<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { type Schemas } from "../../../api/client";
import { count, day } from "../../../shared/format";
import RehearsalView from "../../../shared/RehearsalView.vue";
import AddCarrier from "./AddCarrier.vue";
import CarrierAccounts from "./CarrierAccounts.vue";
import ClaimDays from "./ClaimDays.vue";
import CarrierNumbers from "./CarrierNumbers.vue";
import RemoveCarrier from "./RemoveCarrier.vue";
import TryCarrier from "./TryCarrier.vue";
import {
  checkCard,
  rehearseCard,
  bringCard,
  carriersQuery,
  switchCarrier,
  removeCard,
  cardQuery,
} from "../queries";
import { useMe } from "../../../shared/session";
import { ErrorNote } from "../../../shared/ui";

const client = useQueryClient();
const { may } = useMe();
const { data: carriers, error, isPending } = useQuery(carriersQuery);
const at = ref("");
const here = computed(
  () => carriers.value?.find((c) => c.code === at.value) ?? carriers.value?.[0],
);
const version = ref<number>();
const shown = computed(
  () =>
    here.value?.versions.find((v) => v.id === version.value) ??
    here.value?.versions.find((v) => v.state === "in_force") ??
    here.value?.versions[0],
);
const { data: card } = useQuery(computed(() => cardQuery(here.value?.code, shown.value?.id)));
const table = ref("Prices");
const rows = computed(() => card.value?.tables[table.value] ?? []);
/** Columns that say nothing in this table are left out, so that what is filled stands close together. */
const columns = computed(() =>
  (rows.value[0] ?? [])
    .map((_, i) => i)
    .filter((i) => i < 2 || rows.value.slice(1).some((r) => r[i])),
);

/** Zones and services by the names people know them by; the codes stay in the files. */
const called = computed(() => {
  const written = card.value?.written as
    | { zones?: { id: string; name: string }[]; services?: { code: string; name: string }[] }
    | undefined;
  return Object.fromEntries([
    ...(written?.zones ?? []).map((z) => [z.id, z.name]),
    ...(written?.services ?? []).map((s) => [s.code, s.name]),
  ]) as Record<string, string>;
});
const readable = (text: string | undefined, first: boolean): string =>
  first && table.value !== "Services" && table.value !== "Zones" && text
    ? (called.value[text] ?? text)
    : (text ?? "");

const past = ref(false);
const switching = useMutation({
  mutationFn: () => switchCarrier(here.value!.code, { active: !here.value!.active }),
  onSuccess: () => client.invalidateQueries(),
});

// A new version of the card.
const file = ref<File>();
const proposal = ref<Schemas["ProposalOut"]>();
const check = useMutation({
  mutationFn: (f: File) => checkCard(here.value!.code, f),
  onSuccess: (found) => (proposal.value = found),
});
const cardTried = useMutation({
  mutationFn: () => rehearseCard(here.value!.code, past.value, file.value!),
});
const bring = useMutation({
  mutationFn: () => bringCard(here.value!.code, file.value!),
  onSuccess: () => {
    file.value = undefined;
    proposal.value = undefined;
    cardTried.reset();
    void client.invalidateQueries();
  },
});
function take(event: Event): void {
  const field = event.target as HTMLInputElement;
  file.value = field.files?.[0];
  proposal.value = undefined;
  cardTried.reset();
  if (file.value)
    check.mutate(file.value, {
      onSuccess: (found) => {
        if (!found.errors.length) cardTried.mutate();
      },
    });
  field.value = "";
}
watch(past, () => {
  if (file.value && proposal.value && !proposal.value.errors.length) cardTried.mutate();
});
const remove = useMutation({
  mutationFn: async (id: number) => removeCard(here.value!.code, id),
  onSuccess: () => {
    version.value = undefined;
    void client.invalidateQueries();
  },
});
const failure = computed(
  () => switching.error.value ?? check.error.value ?? bring.error.value ?? remove.error.value,
);
function choose(code: string): void {
  at.value = code;
  version.value = undefined;
  file.value = undefined;
  proposal.value = undefined;
}
const adding = ref(false);
const removing = ref(false);
function added(code: string): void {
  adding.value = false;
  choose(code);
}
function removed(): void {
  removing.value = false;
  choose("");
}
const STATES = { past: "past", in_force: "in force", to_come: "to come" } as const;
</script>

<template>
  <div class="page" tabindex="0" role="region" aria-label="Carriers">
    <div class="head">
      <h1>Carriers</h1>
      <span class="mute">Accounts, services, and the prices by which every quote is made</span>
      <span class="grow" />
      <v-btn v-if="may()" @click="adding = true">Add a carrier</v-btn>
    </div>
    <ErrorNote v-if="error" :error="error" />
    <p v-else-if="isPending" class="empty">Fetching the carriers…</p>
    <p v-else-if="!here" class="empty panel">
      No carrier yet. Its price list, as a file or typed, is enough to begin.
    </p>
    <template v-else-if="here">
      <p class="row-of">
        <button
          v-for="c in carriers"
          :key="c.code"
          type="button"
          class="chip"
          :aria-pressed="c.code === here.code"
          @click="choose(c.code)"
        >
          <span class="mono-gram">{{ c.monogram }}</span> {{ c.name }}
        </button>
      </p>
      <ErrorNote :error="failure" />
      <div class="two">
        <section class="panel" aria-label="Account and services">
          <h2>{{ here.name }}</h2>
          <p v-if="here.asks_prices || here.latin_only || !here.active" class="mute">
            <span v-if="!here.active" class="press">Not used. </span
            ><template v-if="here.asks_prices"
              >Prices are asked from the carrier, and hold for a while. </template
            ><template v-if="here.latin_only">Prints Latin letters only.</template>
          </p>
          <CarrierAccounts :key="here.code" :carrier="here" />
          <p v-if="may()">
            <button class="link" type="button" @click="switching.mutate()">
              {{ here.active ? `Use ${here.name} no longer` : `Use ${here.name} again` }}
            </button>
            <button class="link" type="button" @click="removing = true">Take it away</button>
          </p>
          <ClaimDays v-if="may()" :key="here.code" :carrier="here" />
          <CarrierNumbers v-if="here.kind === 'list'" :key="here.code" :carrier="here" />
          <TryCarrier v-if="here.active && may('shipper')" :key="here.code" :carrier="here" />
          <h2>Rate card</h2>
          <table class="plain-table">
            <tbody>
              <tr v-for="v in here.versions" :key="v.id" :class="{ chosen: v.id === shown?.id }">
                <td>
                  <button class="link" type="button" @click="version = v.id">
                    from {{ day(v.valid_from) }} {{ v.valid_from.slice(0, 4) }}
                  </button>
                </td>
                <td>
                  {{
                    v.valid_until
                      ? `until ${day(v.valid_until)} ${v.valid_until.slice(0, 4)}`
                      : "until the next"
                  }}
                </td>
                <td :class="{ fine: v.state === 'in_force', press: v.state === 'to_come' }">
                  {{ STATES[v.state] }}
                </td>
                <td class="right small">
                  <template v-if="may('shipper')"
                    ><a
                      v-for="k in ['xlsx', 'csv', 'json']"
                      :key="k"
                      class="link"
                      :href="`/api/carriers/${here.code}/cards/${v.id}/file?kind=${k}`"
                      >{{ k.toUpperCase() }}</a
                    ></template
                  >
                  <button
                    v-if="v.state === 'to_come' && may()"
                    class="link"
                    type="button"
                    @click="remove.mutate(v.id)"
                  >
                    Take away
                  </button>
                </td>
              </tr>
            </tbody>
          </table>
          <p v-if="may('shipper')">
            <label class="link upload"
              >Try a new version: XLSX, CSV or JSON<input
                type="file"
                class="visually-hidden"
                accept=".xlsx,.csv,.json"
                @change="take"
            /></label>
            <span class="mute small">download one, change it, and bring it in again</span>
          </p>
          <template v-if="proposal">
            <div v-if="proposal.errors.length" class="note bad" role="alert">
              <b>{{ file?.name }} cannot be used; nothing was stored.</b>
              <ul>
                <li v-for="e in proposal.errors.slice(0, 40)" :key="e">{{ e }}</li>
              </ul>
            </div>
            <template v-else>
              <h3>
                {{ file?.name }}, from {{ day(proposal.valid_from) }}:
                {{ count(proposal.total_changes, "change") }} against the version from
                {{ day(proposal.against) }}
              </h3>
              <p v-if="proposal.ends" class="mute">
                The version before it ends on {{ day(proposal.ends) }}.
              </p>
              <div class="scroll">
                <table class="plain-table">
                  <tbody>
                    <tr v-for="c in proposal.changes.slice(0, 200)" :key="c.where">
                      <td>{{ c.where }}</td>
                      <td class="right mute">{{ c.before || "–" }}</td>
                      <td class="right">
                        <b>{{ c.after || "goes" }}</b>
                      </td>
                    </tr>
                  </tbody>
                </table>
              </div>
              <p class="row-of">
                <button type="button" class="chip" :aria-pressed="!past" @click="past = false">
                  Waiting</button
                ><button type="button" class="chip" :aria-pressed="past" @click="past = true">
                  Last 90 days
                </button>
              </p>
              <RehearsalView
                v-if="cardTried.data.value"
                :found="cardTried.data.value"
                :past="past"
              />
              <p v-else class="mute" role="status">
                Trying it over the orders as if it were in force now…
              </p>
              <p v-if="may()">
                <v-btn :loading="bring.isPending.value" @click="bring.mutate()"
                  >Bring it in from {{ day(proposal.valid_from) }}</v-btn
                >
              </p>
            </template>
          </template>
        </section>
        <section class="panel" aria-label="The rate card">
          <h2>
            {{ shown ? `Card from ${day(shown.valid_from)}` : "No card yet" }}
            <RouterLink class="link small" to="/quote">Try a price</RouterLink>
          </h2>
          <template v-if="card">
            <p class="row-of">
              <button
                v-for="(t, name) in card.tables"
                v-show="t.length > 1"
                :key="name"
                type="button"
                class="chip"
                :aria-pressed="table === String(name)"
                @click="table = String(name)"
              >
                {{ name }}
              </button>
            </p>
            <div class="scroll tall" tabindex="0" role="region" :aria-label="table">
              <table class="plain-table card">
                <thead>
                  <tr>
                    <th v-for="i in columns" :key="i">
                      {{ table === "Card" ? "" : readable(rows[0]![i], true) }}
                    </th>
                  </tr>
                </thead>
                <tbody>
                  <tr v-for="(r, n) in table === 'Card' ? rows : rows.slice(1)" :key="n">
                    <td
                      v-for="i in columns"
                      :key="i"
                      :class="{ right: /^[\d.,]+$/.test(r[i] ?? '') }"
                    >
                      {{ readable(r[i], i === 0) }}
                    </td>
                  </tr>
                </tbody>
              </table>
            </div>
          </template>
        </section>
      </div>
    </template>
    <AddCarrier v-if="adding" @close="adding = false" @added="added" />
    <RemoveCarrier
      v-if="removing && here"
      :carrier="here"
      @close="removing = false"
      @removed="removed"
    />
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(430px, 5fr) minmax(0, 6fr);
  gap: 16px;
  align-items: start;
}
@media (max-width: 1100px) {
  .two {
    grid-template-columns: 1fr;
  }
}
.panel {
  padding: 12px 16px;
}
.row-of {
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
  margin: 6px 0;
}
h2 {
  margin: 12px 0 4px;
}
h2:first-child {
  margin-top: 0;
}
h3 {
  margin: 10px 0 4px;
  font-size: 13px;
}
.chosen {
  background: var(--mul-soft);
}
.upload {
  cursor: pointer;
}
.upload:focus-within {
  outline: 2px solid var(--mul);
}
.scroll {
  max-height: 260px;
  overflow: auto;
}
.tall {
  max-height: calc(100vh - 260px);
}
.card td {
  white-space: nowrap;
}
.card th {
  position: sticky;
  top: 0;
  background: var(--sheet);
  white-space: normal;
  vertical-align: bottom;
  line-height: 1.2;
  padding-bottom: 4px;
}
</style>
