<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { watchDebounced } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { rehearseAccount, addAccount, changeAccount, removeAccount } from "../queries";
import { type Schemas } from "../../../api/client";
import { count } from "../../../shared/format";
import RehearsalView from "../../../shared/RehearsalView.vue";
import { useMe } from "../../../shared/session";
import { CheckField, ErrorNote } from "../../../shared/ui";

/** The accounts with a carrier: each with its discounts, services and payer; a change is rehearsed before it is kept. */
type Account = Schemas["AccountOut"];
const props = defineProps<{ carrier: Schemas["CarrierOut"] }>();
const client = useQueryClient();
const { may } = useMe();
const NEW: Account = {
  id: 0,
  number: "",
  name: "",
  active: true,
  payer: "balance",
  discounts_bp: {},
  services_off: [],
};
const at = ref<number | undefined>(props.carrier.accounts[0]?.id);
const here = computed(() =>
  at.value === 0
    ? NEW
    : (props.carrier.accounts.find((a) => a.id === at.value) ?? props.carrier.accounts[0] ?? NEW),
);

// What is changed here and not kept yet.
const draft = ref({
  number: "",
  name: "",
  payer: "balance" as Account["payer"],
  active: true,
  off: [] as string[],
  cuts: {} as Record<string, string>,
});
function begin(account: Account): void {
  draft.value = {
    number: account.number,
    name: account.name,
    payer: account.payer,
    active: account.active,
    off: [...account.services_off],
    cuts: Object.fromEntries(
      Object.entries(account.discounts_bp).map(([k, bp]) => [k, String(bp / 100)]),
    ),
  };
}
watch(here, begin, { immediate: true });
const body = computed<Schemas["AccountIn"]>(() => ({
  number: draft.value.number.trim(),
  name: draft.value.name.trim(),
  payer: draft.value.payer,
  active: draft.value.active,
  services_off: [...draft.value.off].sort(),
  discounts_bp: Object.fromEntries(
    Object.entries(draft.value.cuts)
      .filter(([, t]) => t.trim())
      .map(([k, t]) => [k, Math.round(Number(t.replace(",", ".")) * 100) || 0]),
  ),
}));
const kept = computed(() =>
  JSON.stringify({
    number: here.value.number,
    name: here.value.name,
    payer: here.value.payer,
    active: here.value.active,
    services_off: [...here.value.services_off].sort(),
    discounts_bp: here.value.discounts_bp,
  }),
);
const changed = computed(
  () => JSON.stringify(body.value) !== kept.value && Boolean(body.value.number),
);
const isNew = computed(() => here.value.id === 0);
const past = ref(false);
const tried = useMutation({
  mutationFn: async () =>
    rehearseAccount(
      props.carrier.code,
      { past: past.value },
      { ...body.value, id: isNew.value ? null : here.value.id },
    ),
});
function done(): void {
  if (isNew.value) at.value = undefined;
  void client.invalidateQueries();
}
const save = useMutation({
  mutationFn: async () =>
    isNew.value
      ? addAccount(props.carrier.code, body.value)
      : changeAccount(props.carrier.code, here.value.id, body.value),
  onSuccess: done,
});
const remove = useMutation({
  mutationFn: () => removeAccount(props.carrier.code, here.value.id),
  onSuccess: () => {
    at.value = undefined;
    done();
  },
});
watch([body, past, here], () => tried.reset(), { deep: true });
watchDebounced([body, past, here], () => changed.value && tried.mutate(), {
  deep: true,
  debounce: 300,
});
function flip(code: string): void {
  draft.value.off = draft.value.off.includes(code)
    ? draft.value.off.filter((c) => c !== code)
    : [...draft.value.off, code];
}
const failure = computed(() => save.error.value ?? remove.error.value ?? tried.error.value);
const PAYERS = [
  { title: "Balance", value: "balance" },
  { title: "Carrier’s bill", value: "account" },
];
// Discounts that name a zone have no field of their own here; they are listed, and stay.
const byZone = computed(() => Object.entries(draft.value.cuts).filter(([k]) => k.includes(":")));
</script>

<template>
  <p class="row-of">
    <button
      v-for="a in carrier.accounts"
      :key="a.id"
      type="button"
      class="chip"
      :aria-pressed="here.id === a.id"
      @click="at = a.id"
    >
      {{ a.name || "Account" }} <span class="mono small">{{ a.number }}</span>
    </button>
    <button v-if="may()" type="button" class="chip" :aria-pressed="isNew" @click="at = 0">
      New account
    </button>
  </p>
  <p v-if="carrier.accounts.length > 1" class="mute small">
    Each order goes on the account on which its service is cheapest, unless somebody binds it to
    one.
  </p>
  <ErrorNote :error="failure" />
  <div v-if="may()" class="facts">
    <v-text-field v-model="draft.number" label="Account number" maxlength="40" /><v-text-field
      v-model="draft.name"
      label="What you call it"
      maxlength="80"
    /><v-select v-model="draft.payer" label="Paid from" :items="PAYERS" />
  </div>
  <p v-else class="mute">
    Account {{ here.number }},
    {{ here.payer === "account" ? "billed later by the carrier" : "paid from the postage balance" }}
  </p>
  <table class="plain-table">
    <thead>
      <tr>
        <th>Service</th>
        <th>Goes to</th>
        <th class="right">Discount %</th>
        <th>In use</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="s in carrier.services" :key="s.code" :class="{ mute: draft.off.includes(s.code) }">
        <td>
          {{ s.name }}<br /><span class="mono small mute">{{ s.code }}</span>
        </td>
        <td class="small">{{ s.zones.join(", ") }}</td>
        <td class="right">
          <input
            v-if="s.kind !== 'live'"
            v-model="draft.cuts[s.code]"
            class="n"
            inputmode="decimal"
            :disabled="!may()"
            :aria-label="`Discount on ${s.name}, per cent`"
            :placeholder="draft.cuts['*'] || '0'"
          /><span v-else class="small mute">asked</span>
        </td>
        <td>
          <CheckField
            :model-value="!draft.off.includes(s.code)"
            :disabled="!may()"
            :aria-label="`Use ${s.name}`"
            @update:model-value="flip(s.code)"
          />
        </td>
      </tr>
      <tr v-if="!carrier.asks_prices">
        <td colspan="2" class="mute">All services without one of their own</td>
        <td class="right">
          <input
            v-model="draft.cuts['*']"
            class="n"
            inputmode="decimal"
            :disabled="!may()"
            aria-label="Discount on all services, per cent"
            placeholder="0"
          />
        </td>
        <td></td>
      </tr>
    </tbody>
  </table>
  <p v-if="byZone.length" class="small mute">
    And by zone:
    {{
      byZone
        .map(([k, v]) => `${k.replace("*:", "all services to ").replace(":", " to ")} ${v} %`)
        .join(", ")
    }}.
  </p>
  <template v-if="changed && may()">
    <h3>If you keep this</h3>
    <p class="row-of">
      <button type="button" class="chip" :aria-pressed="!past" @click="past = false">Waiting</button
      ><button type="button" class="chip" :aria-pressed="past" @click="past = true">
        Last 90 days
      </button>
    </p>
    <RehearsalView v-if="tried.data.value" :found="tried.data.value" :past="past" />
    <p v-else class="mute" role="status">Trying it…</p>
    <p>
      <v-btn :loading="save.isPending.value" @click="save.mutate()"
        >{{ isNew ? "Add" : "Keep"
        }}{{
          tried.data.value && !past ? ` · ${count(tried.data.value.changed, "order")} change` : ""
        }}</v-btn
      >
      <button class="link" type="button" @click="begin(here)">Throw away</button>
    </p>
  </template>
  <p v-else-if="may() && !isNew && carrier.accounts.length > 1" class="row-of">
    <button class="link" type="button" @click="draft.active = !draft.active">
      {{ here.active ? "Use this account no longer" : "Use this account again" }}
    </button>
    <button class="link" type="button" @click="remove.mutate()">Take this account away</button>
  </p>
</template>

<style scoped>
.row-of {
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
  margin: 6px 0;
}
.facts {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(150px, 1fr));
  gap: 12px 8px;
  margin: 8px 0;
}
h3 {
  margin: 10px 0 4px;
  font-size: 13px;
}
.n {
  font: inherit;
  width: 62px;
  text-align: right;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 2px 6px;
  min-height: 24px;
}
</style>
