<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed, onUnmounted, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { sendRequest, formQuery } from "../queries";
import { minorOf } from "../../../shared/format";
import { type Schemas } from "../../../api/client";
import { lengthToMm, sideUnit, units, weightToGrams, weightUnit } from "../../../shared/units";
import { CheckField, ErrorNote, SelectField } from "../../../shared/ui";

const route = useRoute();
const router = useRouter();
const key = String(route.params.key);
const { data: form, error, isPending } = useQuery(formQuery(key));
/** A stranger measures as the shop does; whoever is signed in has their own units back on the next page. */
const before = units.value;
watch(form, (f) => f && (units.value = f.units), { immediate: true });
onUnmounted(() => (units.value = before));
type Address = Schemas["AddressIO"];
const EMPTY: Address = {
  name: "",
  company: "",
  street: "",
  extra: "",
  city: "",
  region: "",
  postcode: "",
  country: "",
  phone: "",
  email: "",
};
const FIELDS = [
  ["name", "Name"],
  ["company", "Company"],
  ["street", "Street and number"],
  ["extra", "Unit, floor"],
  ["postcode", "Postcode"],
  ["city", "City"],
  ["region", "Region"],
  ["country", "Country, two letters"],
  ["phone", "Phone"],
] as const;
const to = ref<Address>({ ...EMPTY });
const other = ref(false);
const from = ref<Address>({ ...EMPTY });
const asked = ref({
  asked_by: "",
  what: "",
  grams: "",
  sides: ["", "", ""],
  why: "",
  cost_code: "",
  sticker_mail: "",
  waiter_mail: "",
  value: "",
});
const clientKey = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 12)}`;
const number = (typed: string) => Number(typed.replace(",", "."));
const send = useMutation({
  mutationFn: async () => {
    const a = asked.value;
    const value = minorOf(a.value || "0", form.value!.currency);
    if (value === undefined)
      throw new Error(`“${a.value}” is not a valid amount in ${form.value!.currency}.`);
    const mm = a.sides.map((s) => lengthToMm(number(s)));
    return await sendRequest(key, {
      client_key: clientKey,
      asked_by: a.asked_by,
      address: to.value,
      sender: other.value ? from.value : null,
      what: a.what,
      gross_g: weightToGrams(number(a.grams)),
      sides_mm: [mm[0] ?? 0, mm[1] ?? 0, mm[2] ?? 0],
      value_minor: value,
      why: a.why,
      cost_code: a.cost_code,
      sticker_mail: a.sticker_mail,
      waiter_mail: a.waiter_mail,
    });
  },
  onSuccess: (made) => router.push(made.path),
});
const sides = computed(() => ["Length", "Width", "Height"]);
</script>

<template>
  <main class="public">
    <p v-if="isPending" class="empty">One moment…</p>
    <ErrorNote v-else-if="error" :error="error" />
    <form v-else-if="form" @submit.prevent="send.mutate()">
      <p class="mute">{{ form.shop }}, {{ form.name }}</p>
      <h1>Ask for a parcel label</h1>
      <p class="mute">Somebody looks at it and mails the label to whoever sticks it on.</p>
      <h2>You, and what is sent</h2>
      <label
        >Your name<input v-model="asked.asked_by" required maxlength="120" autocomplete="name"
      /></label>
      <label>What is in it<input v-model="asked.what" required maxlength="120" /></label>
      <label>Why it is sent<input v-model="asked.why" maxlength="300" /></label>
      <SelectField
        v-if="form.cost_codes.length"
        v-model="asked.cost_code"
        above
        label="Cost code"
        :items="form.cost_codes.map((c) => ({ value: c, title: c }))"
      />
      <label v-else>Cost code<input v-model="asked.cost_code" maxlength="60" /></label>
      <div class="row">
        <label
          >Weight, packed ({{ weightUnit() }})<input
            v-model="asked.grams"
            required
            inputmode="decimal" /></label
        ><label
          >Value ({{ form.currency }})<input v-model="asked.value" inputmode="decimal"
        /></label>
      </div>
      <div class="row">
        <label v-for="(s, i) in sides" :key="s"
          >{{ s }} ({{ sideUnit() }})<input v-model="asked.sides[i]" required inputmode="decimal"
        /></label>
      </div>
      <h2>To</h2>
      <label v-for="[field, label] in FIELDS" :key="field"
        >{{ label
        }}<input
          v-model="to[field]"
          maxlength="120"
          :required="['street', 'city', 'country'].includes(field)"
      /></label>
      <h2>From</h2>
      <CheckField
        v-model="other"
        :label="`It does not leave from ${form.place.company || form.place.name}, ${form.place.city}, but from a supplier`"
      />
      <template v-if="other"
        ><label v-for="[field, label] in FIELDS" :key="field"
          >{{ label }}<input v-model="from[field]" maxlength="120" /></label
      ></template>
      <h2>Mails</h2>
      <label
        >The label goes to<input v-model="asked.sticker_mail" type="email" required maxlength="200"
      /></label>
      <label
        >The tracking number goes to<input v-model="asked.waiter_mail" type="email" maxlength="200"
      /></label>
      <ErrorNote :error="send.error.value" />
      <button class="send" type="submit" :disabled="send.isPending.value">
        {{ send.isPending.value ? "Sending…" : "Ask for the label" }}
      </button>
    </form>
  </main>
</template>

<style scoped>
.public {
  max-width: 520px;
  margin: 0 auto;
  padding: 28px 20px 60px;
  font-size: 16px;
  height: 100vh;
  overflow: auto;
}
h1 {
  font-size: 26px;
}
h2 {
  font-size: 17px;
  margin: 22px 0 6px;
}
label {
  display: block;
  margin: 8px 0;
  font-size: 14px;
  color: var(--mute);
}
label > input {
  display: block;
  width: 100%;
  font: inherit;
  font-size: 16px;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--mute);
  border-radius: 4px;
  padding: 10px;
  min-height: 44px;
}
.row {
  display: grid;
  grid-auto-flow: column;
  grid-auto-columns: 1fr;
  gap: 10px;
}
.check {
  display: flex;
  gap: 10px;
  align-items: start;
  color: var(--ink);
}
.check input {
  width: 22px;
  height: 22px;
  flex: none;
}
.send {
  font: inherit;
  font-weight: 650;
  color: var(--on-mul);
  background: var(--mul);
  border: 0;
  border-radius: 4px;
  padding: 12px 20px;
  min-height: 48px;
  width: 100%;
  margin-top: 16px;
  cursor: pointer;
}
</style>
