<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { DateField, ErrorNote } from "../../shared/ui";
import { type Schemas } from "../../api/client";
import { country, count, day, money } from "../../shared/format";
import { useScans } from "../../shared/scanner";
import { useMe } from "../../shared/session";
import BuyDialog from "./BuyDialog.vue";
import { packagingQuery } from "../shop";
import { vocabularyQuery } from "../shape";
import BuyProgress from "./BuyProgress.vue";
import {
  batchQuery,
  buyLabels,
  runChecks,
  changeBatch,
  takeOutOf,
  scanInto,
  archiveBatch,
} from "./queries";

const props = defineProps<{ id: number }>();
const client = useQueryClient();
const { currency, may } = useMe();
const { data: batch, error, isPending } = useQuery(computed(() => batchQuery(props.id)));
const { data: boxes } = useQuery(packagingQuery);
const { data: vocabulary } = useQuery(vocabularyQuery);
const editable = computed(() => batch.value?.state === "filling" && may("shipper"));
const total = computed(
  () => batch.value?.waiting.reduce((n, r) => n + (r.price_minor ?? 0), 0) ?? 0,
);
const buying = ref(false);
function refresh(): void {
  for (const key of ["batch", "batches", "orders", "today"])
    void client.invalidateQueries({ queryKey: [key] });
}
const change = useMutation({
  mutationFn: async (body: Schemas["BatchChangeIn"]) => changeBatch(props.id, body),
  onSuccess: (fresh) => {
    client.setQueryData(["batch", props.id], fresh);
    refresh();
  },
});
const takeOut = useMutation({
  mutationFn: async (ids: number[]) => takeOutOf(props.id, { order_ids: ids }),
  onSuccess: refresh,
});
const code = ref("");
const scanned = useMutation({
  mutationFn: async () => scanInto(props.id, { code: code.value }),
  onSettled: () => {
    code.value = "";
    refresh();
  },
});
const archive = useMutation({
  mutationFn: async (away: boolean) => archiveBatch(props.id, { away }),
  onSuccess: refresh,
});
const failure = computed(
  () =>
    change.error.value ??
    takeOut.error.value ??
    scanned.error.value ??
    archive.error.value ??
    retry.error.value,
);
useScans((found) => {
  if (!editable.value) return false;
  code.value = found;
  scanned.mutate();
  return true;
});
/** Orders that go alike stand together, so that a batch reads as a few sentences. */
const groups = computed(() => {
  const found = new Map<string, Schemas["OrderRow"][]>();
  for (const row of batch.value?.waiting ?? []) {
    const key = row.service_name
      ? `${row.service_name} in ${row.packaging || "its own carton"}, leaves ${day(row.ship_date)}`
      : "No service yet";
    found.set(key, [...(found.get(key) ?? []), row]);
  }
  return [...found.entries()].sort((a, b) => b[1].length - a[1].length);
});
const exceptions = computed(
  () =>
    new Map(
      batch.value?.exceptions.map((e) => [
        e.order_id,
        e.fields.map((f) => f.replace("_", " ").replace("packaging", "box")).join(", "),
      ]),
    ),
);
const services = computed(() =>
  Object.entries(vocabulary.value?.choices.services ?? {}).map(([value, title]) => ({
    title,
    value,
  })),
);
const text = (value: unknown) => (typeof value === "string" ? value : null);
const retry = useMutation({
  mutationFn: async (ids: number[]) => {
    const fresh = await runChecks({ orders: Object.fromEntries(ids.map((id) => [id, null])) });
    if (!fresh.order_ids.length)
      throw new Error(
        `None of them can be bought yet: ${fresh.checks.map((c) => c.words).join("; ")}.`,
      );
    return await buyLabels({
      client_key: `${Date.now().toString(36)}-again`,
      batch_id: props.id,
      orders: fresh.order_ids.map((id) => ({ order_id: id, shown_minor: fresh.prices[id]! })),
    });
  },
  onSuccess: refresh,
});
</script>

<template>
  <section class="page" tabindex="0" aria-label="Batch">
    <ErrorNote v-if="error" :error="error" />
    <p v-else-if="isPending" class="empty">Fetching the batch…</p>
    <template v-else-if="batch">
      <div class="head">
        <h1>{{ batch.name }}</h1>
        <span class="mute"
          >{{ batch.person
          }}<template v-if="!batch.mine && batch.state === 'filling'">
            · not yours, but you can work on it</template
          ></span
        >
        <span class="grow" />
        <a
          v-if="batch.shipments.length && may('shipper')"
          class="link"
          :href="`/api/batches/${id}/summary.pdf`"
          target="_blank"
          >Summary</a
        >
        <button
          v-if="may('shipper') && !batch.waiting.length && !batch.buying"
          class="link"
          type="button"
          @click="archive.mutate(batch.state !== 'archived')"
        >
          {{ batch.state === "archived" ? "Take out again" : "Put away" }}
        </button>
        <v-btn v-if="editable && batch.waiting.length" @click="buying = true"
          >Check and buy {{ count(batch.waiting.length, "order") }} ·
          {{ money(total, currency) }}</v-btn
        >
      </div>
      <ErrorNote :error="failure" />
      <div v-if="editable" class="panel changes">
        <v-text-field
          :model-value="batch.name"
          label="Name"
          @change="change.mutate({ name: ($event.target as HTMLInputElement).value })"
        />
        <v-select
          :model-value="text(batch.changes.service)"
          label="Service for all"
          clearable
          :items="services"
          @update:model-value="change.mutate({ service: $event })"
        />
        <v-select
          :model-value="text(batch.changes.packaging)"
          label="Box for all"
          clearable
          :items="
            (boxes ?? [])
              .filter((b) => b.active && !b.carrier)
              .map((b) => ({ title: b.name, value: b.code }))
          "
          @update:model-value="change.mutate({ packaging: $event })"
        />
        <DateField
          :model-value="text(batch.changes.ship_date) ?? null"
          label="Ship date for all"
          @update:model-value="change.mutate({ ship_date: $event ?? null })"
        />
        <form @submit.prevent="scanned.mutate()">
          <v-text-field v-model="code" class="mono" label="Scan an order" autocomplete="off" />
        </form>
      </div>
      <p v-if="scanned.data.value" class="note" role="status">
        {{
          scanned.data.value.added
            ? "Put into the batch."
            : scanned.data.value.left_out.length
              ? `Not put in: it ${scanned.data.value.left_out[0]!.words}.`
              : "It lies in here already."
        }}
      </p>
      <p v-if="!batch.waiting.length && !batch.shipments.length" class="empty panel">
        Nothing lies in this batch. Select orders on the Orders page and press
        <span class="key">g</span>, drag them onto it, or scan their slips here.
      </p>
      <template v-for="[name, rows] in groups" :key="name">
        <h2 class="group">
          {{ name }}
          <span class="mute"
            >{{ count(rows.length, "order") }},
            {{
              money(
                rows.reduce((n, r) => n + (r.price_minor ?? 0), 0),
                currency,
              )
            }}</span
          >
        </h2>
        <table class="plain-table panel">
          <tbody>
            <tr v-for="r in rows" :key="r.id">
              <td class="mono number">
                <RouterLink class="plain" :to="`/orders/${r.id}?view=all`">{{
                  r.number
                }}</RouterLink>
              </td>
              <td>{{ r.recipient }}, {{ r.city }}, {{ country(r.country) }}</td>
              <td class="mute">{{ r.items }}</td>
              <td>
                <span v-if="exceptions.get(r.id)" class="press small"
                  >by hand: {{ exceptions.get(r.id) }}</span
                >
                <span
                  v-for="s in r.snags.slice(0, 1)"
                  :key="s.code"
                  class="snag"
                  :class="s.level"
                  >{{ s.words }}</span
                >
                <span v-if="r.held_by" class="press small"> {{ r.held_by }} has it open</span>
              </td>
              <td class="right">{{ money(r.price_minor, currency) }}</td>
              <td class="right">
                <button
                  v-if="editable"
                  class="link"
                  type="button"
                  :aria-label="`Take out ${r.number}`"
                  @click="takeOut.mutate([r.id])"
                >
                  Take out
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </template>
      <template v-if="batch.shipments.length">
        <h2 class="group" role="status">
          {{
            batch.buying
              ? `Buying: ${batch.bought} of ${batch.shipments.length} done…`
              : `${count(batch.bought, "order")} bought for ${money(batch.total_minor, currency)}`
          }}<span v-if="batch.failed" class="stop">, {{ batch.failed }} failed</span>
        </h2>
        <BuyProgress :batch="batch" @retry="retry.mutate($event)" />
      </template>
      <BuyDialog v-model="buying" :rows="batch.waiting" :batch-id="id" />
    </template>
  </section>
</template>

<style scoped>
.changes {
  display: grid;
  grid-template-columns: 1fr 1.4fr 1fr 1fr 1.2fr;
  gap: 10px;
  padding: 12px;
  margin-bottom: 8px;
  align-items: start;
}
.group {
  margin: 16px 0 6px;
}
.number {
  width: 110px;
  white-space: nowrap;
}
.plain-table .link {
  white-space: nowrap;
}
.plain {
  color: inherit;
}
@media (max-width: 1180px) {
  .changes {
    grid-template-columns: 1fr 1fr;
  }
}
</style>
