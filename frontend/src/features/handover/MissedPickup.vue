<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { ref } from "vue";
import { answerMissed, chasePickup, fetchChase } from "./queries";
import { type Schemas } from "../../api/client";
import { count, day, dayAndClock } from "../../shared/format";
import { useMe } from "../../shared/session";
import { CheckField, FormDialog } from "../../shared/ui";

/** A van that did not come: the carrier is pressed with everything filled in, and its answer is written down. */
const props = defineProps<{ pickup: Schemas["PickupOut"] }>();
const emit = defineEmits<{ done: [] }>();
const { zone, may } = useMe();
const asking = ref<"chase" | "answer">();
const mailTo = ref("");
const words = ref("");
const came = ref(false);
const { data: chase } = useQuery({
  queryKey: ["pickups", "chase", props.pickup.id],
  queryFn: () => fetchChase(props.pickup.id),
  enabled: may("shipper"),
});
const after = () => {
  asking.value = undefined;
  emit("done");
};
const press = useMutation({
  mutationFn: () => chasePickup(props.pickup.id, mailTo.value),
  onSuccess: after,
});
const { isPending: pressing } = press;
const answer = useMutation({
  mutationFn: () => answerMissed(props.pickup.id, words.value, came.value),
  onSuccess: after,
});
const { isPending: answering } = answer;
</script>

<template>
  <p class="missed" role="alert">
    <b class="stop">✕ The van of {{ day(pickup.day) }} did not come</b> ({{ pickup.carrier }}
    {{ pickup.network }}, {{ pickup.start }}–{{ pickup.until }}, confirmation
    <span class="mono">{{ pickup.confirmation }}</span>): {{ pickup.words }}.
    {{ count(pickup.parcels, "parcel") }} went over to the next departure; ask for its van there.
    <template v-if="pickup.chased_at">Chased {{ dayAndClock(pickup.chased_at, zone) }}.</template>
    <template v-if="may('shipper')">
      <button type="button" class="link" @click="asking = 'chase'">Chase the carrier</button>
      <button type="button" class="link" @click="asking = 'answer'">It has answered</button>
    </template>
  </p>
  <FormDialog
    v-if="asking === 'chase'"
    title="Chase the carrier"
    :width="640"
    :error="press.error.value"
    @close="asking = undefined"
    @send="press.mutate()"
  >
    <v-text-field
      v-model="mailTo"
      v-first
      label="The carrier's mail address"
      type="email"
      required
    />
    <pre class="mail small">{{ chase?.text }}</pre>
    <template #actions><v-btn type="submit" :loading="pressing">Send it</v-btn></template>
  </FormDialog>
  <FormDialog
    v-if="asking === 'answer'"
    title="What the carrier answered"
    :error="answer.error.value"
    @close="asking = undefined"
    @send="answer.mutate()"
  >
    <v-text-field v-model="words" v-first label="Its answer" maxlength="120" required />
    <CheckField v-model="came" label="The van came after all" />
    <template #actions><v-btn type="submit" :loading="answering">Write it down</v-btn></template>
  </FormDialog>
</template>

<style scoped>
.missed {
  padding: 8px 12px;
  margin-bottom: 10px;
  background: var(--brick-soft);
  border-left: 3px solid var(--brick);
}
.missed .link {
  margin-left: 10px;
}
.mail {
  padding: 10px;
  white-space: pre-wrap;
  background: var(--soft);
}
</style>
