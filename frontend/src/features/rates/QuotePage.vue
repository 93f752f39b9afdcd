<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { refDebounced } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { CountryField, DateField, ErrorNote } from "../../shared/ui";
import { useMe } from "../../shared/session";
import { units } from "../../shared/units";
import { BorderEstimate } from "../customs";
import { placesQuery, contactsQuery } from "../shop";
import CompareServices from "./CompareServices.vue";
import { askQuotePrices, quoteQuery } from "./queries";
import { blank, useQuoteForm, type Form } from "./useQuoteForm";

const route = useRoute();
const router = useRouter();
const client = useQueryClient();
const { currency, may } = useMe();
const { data: places } = useQuery(placesQuery);
// The address of the page holds the whole question, so a link opens the same quote again.
const { form, body, unitOfWeight, unitOfLength, useImperial } = useQuoteForm(
  typeof route.query.q === "string" ? (JSON.parse(route.query.q) as Partial<Form>) : {},
);
watch(form, (f) => void router.replace({ query: { q: JSON.stringify(f) } }), { deep: true });

const CONTENTS = [
  ["lithium", "Lithium batteries"],
  ["limited_quantity", "Limited quantities"],
  ["dry_ice", "Dry ice"],
] as const;
const WANTS = [
  ["tracked", "Tracked"],
  ["drop_off", "Drop-off"],
  ["point", "Locker or shop"],
  ["duties_paid", "Duties can be paid"],
] as const;
const SORTS = [
  ["price", "Price"],
  ["arrival", "Arrival"],
  ["value", "Value"],
] as const;
// To somebody of the address book: what is known of the place goes into the fields.
const looked = ref("");
const { data: contacts } = useQuery(
  computed(() => contactsQuery(looked.value, looked.value.length > 1)),
);
function toContact(id: number | null): void {
  const found = contacts.value?.find((c) => c.id === id);
  if (found)
    Object.assign(form.value, {
      country: found.address.country,
      postcode: found.address.postcode,
      city: found.address.city,
      region: found.address.region,
      home: found.home,
    });
}
const wants = ref<string[]>([]);
const sort = ref<"price" | "arrival" | "value">("price");

const settled = refDebounced(body, 250);
const { data: compared, error, isFetching } = useQuery(computed(() => quoteQuery(settled.value)));
const ask = useMutation({
  mutationFn: () => askQuotePrices(settled.value!),
  onSettled: () => client.invalidateQueries({ queryKey: ["quote"] }),
});
function toggle(list: string[], code: string): void {
  if (list.includes(code)) list.splice(list.indexOf(code), 1);
  else list.push(code);
}
const copied = ref(false);
async function copy(): Promise<void> {
  await navigator.clipboard.writeText(window.location.href);
  copied.value = true;
}
/** Everything typed here goes along; only the name and the street are still to be said. */
function ship(service: string): void {
  void router.push({
    path: "/orders/new",
    query: { quote: JSON.stringify({ ...settled.value, service }) },
  });
}
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Quote</h1>
      <span class="mute">What it would cost, without any order</span><span class="grow" />
      <button class="link" type="button" @click="copy">
        {{ copied ? "Link copied" : "Copy a link to this quote" }}</button><button
        class="link"
        type="button"
        @click="form = blank()"
      >
        Begin again
      </button>
    </div>
    <div class="sides">
      <form class="panel" aria-label="What and where to" @submit.prevent>
        <h2>From, to</h2>
        <div class="form-grid">
          <v-select
            v-model="form.place"
            class="w6"
            label="From"
            :items="[
              { title: 'Default place', value: null },
              ...(places ?? []).map((p) => ({ title: p.name, value: p.id as number | null })),
            ]"
          />
          <v-autocomplete
            class="w6"
            label="Out of the address book"
            :model-value="null"
            :items="
              (contacts ?? []).map((c) => ({
                title: `${c.address.name || c.address.company}, ${c.address.city}`,
                value: c.id,
              }))
            "
            no-filter
            hide-no-data
            clearable
            @update:search="looked = $event ?? ''"
            @update:model-value="toContact"
          />
          <CountryField v-model="form.country" class="w3" />
          <v-text-field
            v-model="form.postcode"
            v-first
            class="w3"
            label="Postcode"
            maxlength="12"
          />
          <v-text-field v-model="form.city" class="w3" label="City" maxlength="60" /><v-text-field
            v-model="form.region"
            class="w3"
            label="Region"
            maxlength="60"
          />
        </div>
        <p class="row-of">
          <button type="button" class="chip" :aria-pressed="form.home" @click="form.home = true">
            Home</button
          ><button type="button" class="chip" :aria-pressed="!form.home" @click="form.home = false">
            Business
          </button>
        </p>
        <h2>
          Parcels <span class="small mute">gross weight and outer sides</span
          ><span class="units"
            ><button
              type="button"
              class="quiet"
              :aria-pressed="units === 'metric'"
              @click="useImperial('metric')"
            >
              kg, cm
            </button>
            <button
              type="button"
              class="quiet"
              :aria-pressed="units === 'imperial'"
              @click="useImperial('imperial')"
            >
              lb, in
            </button></span
          >
        </h2>
        <div v-for="(p, i) in form.parcels" :key="i" class="form-grid parcel">
          <v-text-field
            v-model="p.weight"
            :label="`Weight, ${unitOfWeight}`"
            inputmode="decimal"
          /><v-text-field
            v-model="p.sides"
            :label="`L × W × H, ${unitOfLength}`"
            placeholder="25 × 18 × 12"
          />
          <v-text-field v-model="p.count" label="×" aria-label="How many" inputmode="numeric"
            ><template v-if="form.parcels.length > 1" #append-inner
              ><button
                class="link"
                type="button"
                aria-label="Remove this parcel"
                @click="form.parcels.splice(i, 1)"
              >
                ×
              </button></template
            ></v-text-field
          >
        </div>
        <button
          class="link"
          type="button"
          @click="form.parcels.push({ weight: '', sides: '', count: '1' })"
        >
          Another parcel
        </button>
        <h2>Goods</h2>
        <div class="form-grid goods">
          <v-text-field
            v-model="form.value"
            :label="`Value, ${currency}`"
            inputmode="decimal"
          /><v-text-field v-model="form.point" label="Locker or shop code" maxlength="40" />
        </div>
        <p class="row-of">
          <button
            v-for="[code, name] in CONTENTS"
            :key="code"
            type="button"
            class="chip"
            :aria-pressed="form.contents.includes(code)"
            @click="toggle(form.contents, code)"
          >
            {{ name }}
          </button>
          <button
            type="button"
            class="chip"
            :aria-pressed="form.tender"
            @click="form.tender = !form.tender"
          >
            Nothing may lie on it
          </button>
        </p>
        <div class="form-grid">
          <DateField v-model="form.ship" class="w3" label="Not before" />
          <DateField v-model="form.promise" class="w3" label="Promised by" />
        </div>
      </form>
      <section class="panel" aria-label="Every service" :aria-busy="isFetching">
        <ErrorNote :error="error" />
        <p v-if="!settled" class="empty">
          Type a country, a weight and three sides: every service stands here with its price and day
          while you type.
        </p>
        <template v-else-if="compared">
          <div class="bar">
            <button
              v-for="[key, name] in SORTS"
              :key="key"
              type="button"
              class="chip"
              :aria-pressed="sort === key"
              @click="sort = key"
            >
              {{ name }}</button><span class="grow" />
            <button
              v-for="[key, name] in WANTS"
              :key="key"
              type="button"
              class="chip"
              :aria-pressed="wants.includes(key)"
              @click="toggle(wants, key)"
            >
              {{ name }}
            </button>
          </div>
          <CompareServices
            :compared="compared"
            :currency="currency"
            :editable="may('shipper')"
            :asking="ask.isPending.value"
            :failures="ask.data.value?.failures ?? {}"
            :wants="wants"
            :sort="sort"
            verb="Make a shipment with"
            @choose="ship"
            @extra="toggle(form.extras, $event)"
            @ask="ask.mutate()"
          />
          <BorderEstimate
            v-if="settled"
            :country="settled.to.country ?? ''"
            :postcode="settled.to.postcode ?? ''"
            :value-minor="settled.value_minor ?? 0"
            :sender-pays="form.extras.includes('duties_paid')"
          />
        </template>
      </section>
    </div>
  </div>
</template>

<style scoped>
.sides {
  display: grid;
  grid-template-columns: minmax(352px, 4fr) minmax(0, 7fr);
  gap: 16px;
  align-items: start;
}
@media (max-width: 900px) {
  .sides {
    grid-template-columns: 1fr;
  }
}
.form-grid {
  align-items: start;
}
.panel {
  padding: 12px 16px;
}
h2 {
  margin: 10px 0 6px;
  display: flex;
  gap: 8px;
  align-items: baseline;
}
h2:first-child {
  margin-top: 0;
}
.row-of {
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
  margin: 8px 0;
}
.bar {
  display: flex;
  gap: 6px;
  margin-bottom: 8px;
  flex-wrap: wrap;
}
.parcel {
  grid-template-columns: 106px minmax(0, 1fr) 50px;
  margin-bottom: 6px;
}
.goods {
  grid-template-columns: 106px minmax(0, 1fr);
}
.units {
  margin-left: auto;
  display: flex;
  gap: 8px;
}
.units .quiet {
  min-height: 24px;
}
.units [aria-pressed="true"] {
  color: var(--mul);
  font-weight: 600;
}
</style>
