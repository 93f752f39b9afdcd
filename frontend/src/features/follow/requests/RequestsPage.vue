<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import {
  approveRequest,
  declineRequest,
  addLink,
  switchLink,
  requestsQuery,
  linksQuery,
} from "../queries";
import { DataTable, FormDialog, ErrorNote } from "../../../shared/ui";
import { type Schemas } from "../../../api/client";
import { centimetres, country, dayAndClock, kilograms, money } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { gramsToWeight, weightToGrams, weightUnit } from "../../../shared/units";
import { vocabularyQuery } from "../../shape";

type Asked = Schemas["RequestOut"];
const client = useQueryClient();
const router = useRouter();
const { currency, zone, may } = useMe();
const { data: requests, error } = useQuery(requestsQuery);
const { data: links } = useQuery(linksQuery);
const { data: vocabulary } = useQuery(vocabularyQuery);
const services = computed(() =>
  Object.entries(vocabulary.value?.choices.services ?? {}).map(([value, title]) => ({
    title,
    value,
  })),
);
const deciding = ref<{ asked: Asked; weight: string; service: string | null; words: string }>();
function refresh(): void {
  for (const key of ["requests", "orders", "today"])
    void client.invalidateQueries({ queryKey: [key] });
}
const approve = useMutation({
  mutationFn: async () => {
    const d = deciding.value!;
    const grams = weightToGrams(Number(d.weight.replace(",", ".")));
    if (!(grams > 0)) throw new Error(`“${d.weight}” is not a valid weight in ${weightUnit()}.`);
    return await approveRequest(d.asked.id, {
      gross_g: d.weight === gramsToWeight(d.asked.gross_g) ? null : grams,
      service: d.service,
    });
  },
  onSuccess: (made) => {
    deciding.value = undefined;
    refresh();
    void router.push(`/orders/${made.order_id}?view=all`);
  },
});
const decline = useMutation({
  mutationFn: () => declineRequest(deciding.value!.asked.id, { words: deciding.value!.words }),
  onSuccess: () => {
    deciding.value = undefined;
    refresh();
  },
});
function start(asked: Asked): void {
  approve.reset();
  decline.reset();
  deciding.value = { asked, weight: gramsToWeight(asked.gross_g), service: null, words: "" };
}
const naming = ref("");
const codes = ref("");
const makeLink = useMutation({
  mutationFn: () =>
    addLink({
      name: naming.value,
      cost_codes: codes.value
        .split(",")
        .map((c) => c.trim())
        .filter(Boolean),
    }),
  onSuccess: () => {
    naming.value = "";
    codes.value = "";
    refresh();
  },
});
const setLink = useMutation({
  mutationFn: async (l: Schemas["LinkOut"]) => await switchLink(l.id, { active: !l.active }),
  onSuccess: refresh,
});
const STATES: Record<string, string> = {
  asked: "To decide",
  approved: "Approved, not bought yet",
  declined: "Declined",
  labelled: "Label mailed",
};
const to = (a: Record<string, unknown>) =>
  [a.name || a.company, a.city, country(String(a.country ?? ""))].filter(Boolean).join(", ");
const origin = window.location.origin;
</script>

<template>
  <div class="page" tabindex="0" role="region" aria-label="Requests">
    <div class="head">
      <h1>Requests</h1>
      <span class="mute">Labels that colleagues without a login ask for by a link</span>
    </div>
    <ErrorNote :error="makeLink.error.value ?? setLink.error.value" />
    <DataTable
      label="Requests"
      :error="error"
      :columns="['Asked by', 'To', 'What', 'Cost code', 'State', '']"
      :rows="requests"
      :row-key="(r) => r.id"
      waiting="Fetching the requests…"
      none="Nobody has asked yet. Give a colleague one of the links below."
      ><template #row="{ row: r }">
        <td>
          <b>{{ r.asked_by }}</b><br /><span class="small mute"
            >{{ dayAndClock(r.created_at, zone) }}, {{ r.link }}</span
          >
        </td>
        <td>
          {{ to(r.address) }}<br /><span v-if="Object.keys(r.sender).length" class="small press"
            >sent by {{ to(r.sender) }}</span
          >
        </td>
        <td>
          {{ r.what }}, {{ kilograms(r.gross_g) }}, {{ centimetres(r.sides_mm) }}<br /><span
            class="small mute"
            >{{ r.why }}</span
          >
        </td>
        <td>{{ r.cost_code || "–" }}</td>
        <td>
          <b :class="{ press: r.state === 'asked' }">{{ STATES[r.state] }}</b><br /><span
            class="small mute"
            >{{ r.decided_by }}{{ r.words ? `: ${r.words}` : ""
            }}{{ r.price_minor !== null ? ` · ${money(r.price_minor, currency)}` : "" }}</span
          >
        </td>
        <td class="right">
          <v-btn v-if="r.state === 'asked'" @click="start(r)">Decide</v-btn
          ><RouterLink v-else-if="r.order_id" class="link" :to="`/orders/${r.order_id}?view=all`">{{
            r.order_number
          }}</RouterLink>
        </td>
      </template></DataTable
    >
    <h2 class="links">Links to the form</h2>
    <DataTable
      v-if="links?.length"
      label="Links to the form"
      :columns="['For', 'Address', 'Cost codes', '']"
      :rows="links"
      :row-key="(l) => l.id"
      ><template #row="{ row: l }">
        <td>{{ l.name }}<span v-if="!l.active" class="stop small"> off</span></td>
        <td class="mono">
          <a class="link" :href="l.path" target="_blank">{{ origin }}{{ l.path.slice(0, 14) }}…</a>
        </td>
        <td class="small">{{ l.cost_codes.join(", ") || "free to type" }}</td>
        <td class="right">
          <button v-if="may()" class="link" type="button" @click="setLink.mutate(l)">
            {{ l.active ? "Switch off" : "Switch on" }}
          </button>
        </td>
      </template></DataTable
    >
    <form v-if="may()" class="new" @submit.prevent="makeLink.mutate()">
      <v-text-field
        v-model="naming"
        label="Whom the link is for"
        maxlength="80"
        required
      /><v-text-field v-model="codes" label="Cost codes, separated by commas" /><v-btn
        type="submit"
        variant="outlined"
        :loading="makeLink.isPending.value"
        >Make a link</v-btn
      >
    </form>
    <FormDialog
      v-if="deciding"
      title="Decide on a request"
      closes="Later"
      :error="approve.error.value ?? decline.error.value"
      @close="deciding = undefined"
      @send="approve.mutate()"
      ><template #title>{{ deciding.asked.asked_by }} asks for a label</template>
      <p>
        {{ deciding.asked.what }} to {{ to(deciding.asked.address) }}. {{ deciding.asked.why
        }}<br /><span class="mute"
          >The label goes to {{ deciding.asked.sticker_mail
          }}{{
            deciding.asked.waiter_mail
              ? `, the tracking number to ${deciding.asked.waiter_mail}`
              : ""
          }}.</span
        >
      </p>
      <div class="form-grid">
        <v-text-field
          v-model="deciding.weight"
          class="w2"
          label="Weight"
          :suffix="weightUnit()"
          inputmode="decimal"
        />
        <v-select
          v-model="deciding.service"
          class="w4"
          label="Service (empty: by the policy)"
          clearable
          :items="services"
        />
        <v-text-field
          v-model="deciding.words"
          class="w6"
          label="Why not, if you decline"
          maxlength="300"
        />
      </div>
      <p class="mute small">
        Approving makes a shipment on the work list, where its price is seen and it is bought; a
        dear service still needs the owner’s yes.
      </p>
      <template #actions
        ><v-btn
          variant="outlined"
          :disabled="deciding.words.trim().length < 3"
          :loading="decline.isPending.value"
          @click="decline.mutate()"
          >Decline</v-btn
        ><v-btn type="submit" :loading="approve.isPending.value">Approve</v-btn></template
      ></FormDialog
    >
  </div>
</template>

<style scoped>
.links {
  margin: 22px 0 6px;
}
.new {
  display: grid;
  grid-template-columns: 240px minmax(0, 1fr) auto;
  gap: 10px;
  margin-top: 10px;
  align-items: center;
}
</style>
