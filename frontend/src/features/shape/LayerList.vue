<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { rehearseDefaults, saveDefaults, linkPromise, forgetPrecedent } from "./queries";
import { amountText, count, groupWords, minorOf, money } from "../../shared/format";
import { type Schemas } from "../../api/client";
import { useMe } from "../../shared/session";
import OwnRanking from "./OwnRanking.vue";
import { CheckField, ErrorNote, SelectField, named } from "../../shared/ui";

const props = defineProps<{ layers: Schemas["LayersOut"] }>();
const client = useQueryClient();
const { may, currency } = useMe();
type Defaults = Schemas["ShopDefaultsIO"];
const wanted = ref<Defaults>({
  ...props.layers.defaults,
  group_services: { ...props.layers.defaults.group_services },
});
watch(
  () => props.layers.defaults,
  (now) => (wanted.value = { ...now, group_services: { ...now.group_services } }),
);
const changed = computed(
  () => JSON.stringify(wanted.value) !== JSON.stringify(props.layers.defaults),
);
const POLICIES = [
  ["cheapest", "Cheapest", "least price; the earlier one of two equals"],
  ["fastest", "Fastest", "earliest arrival; the cheaper of two equals"],
  [
    "balanced",
    "Balanced",
    "price + what a day is worth × days later + what a late parcel costs × share late",
  ],
  [
    "cheapest_on_promise",
    "Cheapest on promise",
    "least price among those that arrive by the promised day; else the fastest",
  ],
  [
    "ranking",
    "Own ranking",
    "the first of the ranking that takes it; where none does, the cheapest",
  ],
] as const;
const past = ref(false);
const would = ref<Schemas["RehearsalOut"]>();
const rehearse = useMutation({
  mutationFn: () => rehearseDefaults({ past: past.value }, wanted.value),
  onSuccess: (found) => (would.value = found),
});
watch(
  [wanted, past],
  () => {
    would.value = undefined;
    if (changed.value) rehearse.mutate();
  },
  { deep: true },
);
const save = useMutation({
  mutationFn: () => saveDefaults(wanted.value),
  onSuccess: () => client.invalidateQueries(),
});
const link = useMutation({
  mutationFn: async ([promise, recipe]: [string, string | null]) =>
    await linkPromise({ promise, recipe }),
  onSuccess: () => client.invalidateQueries(),
});
const forget = useMutation({
  mutationFn: async (id: number) => forgetPrecedent(id),
  onSuccess: () => client.invalidateQueries(),
});
function setGroup(group: string, service: string): void {
  const next = { ...wanted.value.group_services };
  if (service) next[group] = service;
  else delete next[group];
  wanted.value = { ...wanted.value, group_services: next };
}
const touches = (layer: string) =>
  `touches ${count(props.layers.touched[layer] ?? 0, "waiting order")}`;
const asItWent = (p: Schemas["PrecedentOut"]) =>
  [
    p.service && props.layers.choices.services[p.service],
    p.packaging && props.layers.choices.packagings[p.packaging],
    ...p.extras.map((e) => e.replaceAll("_", " ")),
  ]
    .filter(Boolean)
    .join(", ");
const open = ref("");
const unlinked = computed(() => props.layers.promises.filter((p) => !p.recipe).length);
const services = computed(() => named(props.layers.choices.services));
</script>

<template>
  <div class="stack">
    <div class="layer">
      <div class="between">
        <h2>1 · Shop defaults</h2>
        <span class="mute">{{ touches("shop default") }}</span>
      </div>
      <ErrorNote :error="save.error.value ?? rehearse.error.value" />
      <div class="row">
        <span>Choose</span>
        <button
          v-for="[code, name, how] in POLICIES"
          :key="code"
          class="chip"
          type="button"
          :title="how"
          :disabled="!may()"
          :aria-pressed="wanted.policy === code"
          @click="wanted = { ...wanted, policy: code }"
        >
          {{ name }}
        </button>
      </div>
      <p class="mute small">{{ POLICIES.find((p) => p[0] === wanted.policy)?.[2] }}</p>
      <div v-if="wanted.policy === 'balanced'" class="row">
        <label
          >A day sooner is worth
          <input
            class="n"
            inputmode="decimal"
            :disabled="!may()"
            :value="amountText(wanted.day_value_minor ?? 0, currency)"
            @change="
              wanted = {
                ...wanted,
                day_value_minor: minorOf(($event.target as HTMLInputElement).value, currency) ?? 0,
              }
            "
        /></label>
        <label
          >A late parcel costs
          <input
            class="n"
            inputmode="decimal"
            :disabled="!may()"
            :value="amountText(wanted.late_value_minor ?? 0, currency)"
            @change="
              wanted = {
                ...wanted,
                late_value_minor: minorOf(($event.target as HTMLInputElement).value, currency) ?? 0,
              }
            "
        /></label>
      </div>
      <template v-if="wanted.policy === 'ranking'">
        <OwnRanking v-model="wanted.ranking" :services="layers.choices.services" />
      </template>
      <button
        class="quiet"
        type="button"
        :aria-expanded="open === 'groups'"
        @click="open = open === 'groups' ? '' : 'groups'"
      >
        A service of its own for a destination group:
        {{ Object.keys(wanted.group_services ?? {}).length || "none" }}
      </button>
      <div v-if="open === 'groups'" class="grid">
        <SelectField
          v-for="g in layers.groups"
          :key="g"
          above
          :model-value="wanted.group_services?.[g] ?? ''"
          :label="groupWords(g)"
          :disabled="!may()"
          :items="[{ value: '', title: 'by the choice above' }, ...services]"
          @update:model-value="setGroup(g, $event)"
        />
      </div>
      <div class="row">
        <CheckField
          v-model="wanted.packaging_by_weight"
          label="Packaging by weight range instead of by fit"
          :disabled="!may()"
        />
        <CheckField v-model="wanted.use_precedents" label="Use precedents" :disabled="!may()" />
      </div>
      <div v-if="changed && may()" class="row">
        <button type="button" class="chip" :aria-pressed="!past" @click="past = false">
          Waiting</button
        ><button type="button" class="chip" :aria-pressed="past" @click="past = true">
          Last 90 days
        </button>
        <span role="status" class="mute">{{
          would
            ? `${count(would.changed, "order")} of ${would.waiting.toLocaleString("en-GB")} ${past ? "shipped" : "waiting"} ${past ? "would have changed" : "will change"}, ${money(would.before_minor, currency)} before, ${money(would.after_minor, currency)} after; late ${would.late_before} before, ${would.late_after} after`
            : "Trying it…"
        }}</span>
        <v-btn size="small" :loading="save.isPending.value" @click="save.mutate()"
          >Save the defaults</v-btn
        >
      </div>
    </div>
    <div class="layer between">
      <h2>2 · Product defaults</h2>
      <span class="mute"
        >{{ count(layers.products_with_recipe, "product") }} with a recipe ·
        {{ touches("product default") }} ·
        <RouterLink class="link" to="/set-up/products">Products</RouterLink></span
      >
    </div>
    <div class="layer">
      <div class="between">
        <h2>3 · Promise links</h2>
        <span class="mute">{{ touches("promise link") }}</span>
      </div>
      <button
        v-if="layers.promises.length"
        class="quiet"
        type="button"
        :aria-expanded="open === 'promises'"
        @click="open = open === 'promises' ? '' : 'promises'"
      >
        <b v-if="unlinked" class="press"
          >{{ count(unlinked, "text") }} that buyers chose {{ unlinked === 1 ? "is" : "are" }} not
          linked</b
        ><template v-else>every text is linked</template>,
        {{ layers.promises.length - unlinked }} linked
      </button>
      <table v-if="open === 'promises' || !layers.promises.length" class="plain-table">
        <tbody>
          <tr v-for="p in layers.promises" :key="p.promise">
            <td>“{{ p.promise }}” <span v-if="!p.recipe" class="press">not linked</span></td>
            <td class="right mute">{{ p.waiting }} waiting</td>
            <td class="right">
              <SelectField
                :label="`Recipe for ${p.promise}`"
                :model-value="p.recipe ?? ''"
                :disabled="!may('shipper')"
                :items="[{ value: '', title: 'no recipe' }, ...named(layers.choices.recipes)]"
                @update:model-value="link.mutate([p.promise, $event || null])"
              />
            </td>
          </tr>
          <tr v-if="!layers.promises.length">
            <td class="mute">The delivery texts that buyers choose appear here.</td>
          </tr>
        </tbody>
      </table>
      <ErrorNote :error="link.error.value" />
    </div>
    <div class="layer">
      <div class="between">
        <h2>4 · Precedents</h2>
        <span class="mute">{{
          layers.defaults.use_precedents ? touches("precedent") : "not in use"
        }}</span>
      </div>
      <button
        v-if="layers.precedents.length"
        class="quiet"
        type="button"
        :aria-expanded="open === 'precedents'"
        @click="open = open === 'precedents' ? '' : 'precedents'"
      >
        {{ count(layers.precedents.length, "basket") }} shipped by hand before
      </button>
      <p v-else class="mute small">
        A basket that somebody sends in another way than planned is remembered for identical ones.
      </p>
      <ul v-if="open === 'precedents'" class="plain">
        <li v-for="p in layers.precedents" :key="p.id">
          as {{ p.order_number }} went, {{ groupWords(p.destination) }}:
          {{ asItWent(p) }}
          <button v-if="may('shipper')" class="link" type="button" @click="forget.mutate(p.id)">
            Forget
          </button>
        </li>
      </ul>
    </div>
    <slot />
    <div class="layer between">
      <h2>6 · By hand</h2>
      <span class="mute">{{ touches("by hand") }}; it always wins and stays</span>
    </div>
  </div>
</template>

<style scoped>
.ranking li {
  padding: 2px 0;
}
.n {
  font: inherit;
  width: 70px;
  text-align: right;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 2px 6px;
}
.stack {
  display: grid;
  gap: 8px;
}
.layer {
  border: 1px solid var(--line);
  background: var(--sheet);
  padding: 9px 14px;
}
.between {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  align-items: baseline;
}
.row {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
  margin: 6px 0 2px;
}
p {
  margin: 2px 0 6px;
}
.grid {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(210px, 1fr));
  gap: 8px;
  margin: 6px 0;
}
.grid label {
  display: grid;
  gap: 2px;
  font-size: 12px;
  color: var(--mute);
}
select {
  font: inherit;
  font-size: 13px;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 3px 6px;
  max-width: 230px;
}
.plain {
  list-style: none;
  margin: 4px 0;
  padding: 0;
}
input {
  accent-color: var(--mul);
}
</style>
