<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { decideDifference, keepHere, orderQuery, voidAndTake } from "../queries";
import { count, money } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { ErrorNote, FormDialog } from "../../../shared/ui";

/** What a channel changed after the import, and the ways to decide: before the label is bought, and after. */
const props = defineProps<{ orderId: number }>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const { currency, may } = useMe();
const { data: sheet, error } = useQuery(computed(() => orderQuery(props.orderId)));
const change = computed(() => sheet.value?.difference);
const labels = computed(() => change.value?.labels ?? []);
const printed = computed(() => labels.value.some((l) => l.printed));
const gone = computed(() => labels.value.some((l) => l.handed_over));
const total = computed(() => labels.value.reduce((n, l) => n + l.price_minor, 0));
const looked = ref(false);
type Way = "take" | "refuse" | "void" | "keep";
const decide = useMutation({
  mutationFn: (way: Way) => {
    const id = change.value!.id;
    if (way === "void") return voidAndTake(id, { printed_too: looked.value });
    if (way === "keep") return keepHere(id);
    return decideDifference(id, { take: way === "take" });
  },
  onSuccess: () => {
    for (const key of ["orders", "order", "today", "departures", "batch", "money", "refunds"])
      void client.invalidateQueries({ queryKey: [key] });
    emit("close");
  },
});
/** Return or Enter does what costs nothing and loses nothing. */
function usual(): void {
  if (!change.value) emit("close");
  else if (!labels.value.length && may("shipper", "care")) decide.mutate("take");
  else if (labels.value.length && !gone.value) decide.mutate("keep");
}
const WHAT = {
  cancelled: "The channel cancelled",
  stopped: "The channel keeps back",
  content: "The channel changed",
  edited: "The channel changed",
};
</script>

<template>
  <FormDialog
    title="Decide about a change"
    :width="680"
    :error="decide.error.value"
    @close="emit('close')"
    @send="usual"
  >
    <template v-if="change" #title
      >{{ WHAT[change.kind] }} <span class="mono">{{ change.number }}</span></template
    >
    <ErrorNote v-if="error" :error="error" />
    <p v-else-if="!sheet" class="mute">Fetching the change…</p>
    <p v-else-if="!change">Somebody has decided about it already.</p>
    <template v-else>
      <p v-if="change.order_id !== orderId">
        It belongs to order <span class="mono">{{ sheet.row.number }}</span>, which leaves in the
        same parcel or is a part of it.
      </p>
      <table class="plain-table">
        <thead>
          <tr>
            <th>What</th>
            <th>Here</th>
            <th>In the channel now</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="c in change.changes" :key="c.field">
            <td>{{ c.field }}</td>
            <td class="mute">{{ c.before || "–" }}</td>
            <td>
              <b>{{ c.after || "–" }}</b>
            </td>
          </tr>
        </tbody>
      </table>
      <template v-if="labels.length">
        <p class="stop">
          {{ count(labels.length, "label") }} for {{ money(total, currency) }}
          {{ labels.length === 1 ? "is" : "are" }} bought:
          {{ labels.map((l) => `${l.order_number} with ${l.service_name}`).join(", ")
          }}{{ gone ? ", and handed over already" : printed ? ", printed already" : "" }}.
        </p>
        <p v-if="gone">It cannot be stopped from here. Ask the carrier, or let it go on.</p>
        <p v-else-if="!may('shipper')">
          Whoever buys labels can void {{ labels.length === 1 ? "it" : "them" }}.
        </p>
        <v-checkbox
          v-else-if="printed"
          v-model="looked"
          :label="`I have looked: ${labels.length === 1 ? 'the label is' : 'the labels are'} on no parcel that leaves`"
        />
      </template>
    </template>
    <template #actions>
      <template v-if="change && !labels.length">
        <v-btn
          v-if="may('shipper', 'care')"
          variant="outlined"
          :loading="decide.isPending.value"
          @click="decide.mutate('refuse')"
          >Refuse, keep ours</v-btn
        ><v-btn
          v-if="may('shipper', 'care')"
          v-first.button
          type="submit"
          :loading="decide.isPending.value"
          >Take the change</v-btn
        >
      </template>
      <template v-else-if="change">
        <v-btn
          v-if="may('shipper', 'care')"
          variant="outlined"
          :loading="decide.isPending.value"
          @click="decide.mutate('refuse')"
          >Send it on as it is</v-btn
        >
        <v-btn
          v-if="!gone"
          v-first.button
          variant="outlined"
          type="submit"
          :loading="decide.isPending.value"
          >Keep it here</v-btn
        >
        <v-btn
          v-if="!gone && may('shipper')"
          :disabled="printed && !looked"
          :loading="decide.isPending.value"
          @click="decide.mutate('void')"
          >Void and take the change</v-btn
        >
      </template>
    </template>
  </FormDialog>
</template>
