<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref, watch } from "vue";
import { returnRulesQuery, saveReturnRules } from "../queries";
import { useMe } from "../../../shared/session";
import { ErrorNote, SentencePart } from "../../../shared/ui";

/** By which rules buyers start returns on the page of their parcel, as a sentence. */
const client = useQueryClient();
const { may } = useMe();
const { data } = useQuery(returnRulesQuery);
const rules = ref({ on: true, days: 30, buyer_pays: false, not_tags: [] as string[] });
watch(data, (kept) => kept && (rules.value = { ...kept }), { immediate: true });
const save = useMutation({
  mutationFn: (part: Partial<typeof rules.value>) => saveReturnRules({ ...rules.value, ...part }),
  onSuccess: (saved) => client.setQueryData(returnRulesQuery.queryKey, saved),
});
function days(text: string): void {
  const value = Number(text);
  if (Number.isInteger(value) && value >= 1 && value <= 365) save.mutate({ days: value });
}
</script>

<template>
  <ErrorNote :error="save.error.value" />
  <p v-if="data" class="rules">
    <template v-if="data.on">
      Buyers start returns on the page of their parcel for
      <SentencePart
        :model-value="String(data.days)"
        label="Days after delivery"
        :width="4"
        :disabled="!may()"
        @update:model-value="days"
      />
      days after delivery;
      <button
        type="button"
        class="link payer"
        :disabled="!may()"
        @click="save.mutate({ buyer_pays: !data.buyer_pays })"
      >
        {{
          data.buyer_pays ? "the buyer pays the label" : "the shop pays the label"
        }}</button><template v-if="data.buyer_pays">, unless it came damaged or wrong</template>;
      products tagged
      <SentencePart
        :model-value="data.not_tags.join(' ')"
        :shown="data.not_tags.join(', ') || 'nothing'"
        label="Tags of what never comes back"
        :width="16"
        :disabled="!may()"
        @update:model-value="save.mutate({ not_tags: $event.split(/[\s,]+/).filter(Boolean) })"
      />
      are not taken back.
    </template>
    <template v-else>Buyers ask for returns by mail.</template>
    <button v-if="may()" type="button" class="link" @click="save.mutate({ on: !data.on })">
      {{ data.on ? "Switch off" : "Let them start returns themselves" }}
    </button>
  </p>
</template>

<style scoped>
.rules {
  margin: 0 0 12px;
  line-height: 1.8;
}
.payer {
  padding: 0; /* a sign follows it */
}
</style>
