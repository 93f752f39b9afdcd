<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { codesQuery, explainCode } from "./queries";
import { count, trackingWords } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { ErrorNote, SelectField } from "../../../shared/ui";

/** Codes that a carrier never explained: what each means is said once, and its events count from then on. */
const client = useQueryClient();
const { may } = useMe();
const { data } = useQuery(codesQuery);
const REASONS: Record<string, string> = {
  refused: "refused",
  address: "address not found",
  customs: "held by customs",
  damaged: "damaged",
};
function title(meaning: string): string {
  const [state, reason] = meaning.split(":");
  return trackingWords(state!) + (reason ? `: ${REASONS[reason] ?? reason}` : "");
}
const explain = useMutation({
  mutationFn: explainCode,
  onSuccess: () => client.invalidateQueries({ queryKey: ["tracking"] }),
});
</script>

<template>
  <section v-if="data?.unknown.length" class="panel codes" aria-label="Codes nobody has explained">
    <h2>Codes nobody has explained</h2>
    <ErrorNote :error="explain.error.value" />
    <p v-for="c in data.unknown" :key="`${c.carrier} ${c.code}`">
      {{ c.name }} says <b class="mono">{{ c.code }}</b> “{{ c.words }}” of
      {{ count(c.parcels, "parcel") }}.
      <SelectField
        v-if="may()"
        :label="`What ${c.code} means`"
        :model-value="''"
        :items="[
          { value: '', title: 'It means…' },
          ...data.meanings.map((m) => ({ value: m, title: title(m) })),
        ]"
        @update:model-value="
          $event && explain.mutate({ carrier: c.carrier, code: c.code, meaning: $event })
        "
      />
    </p>
  </section>
</template>

<style scoped>
.codes {
  margin-top: 16px;
  padding: 8px 16px;
}
.codes p {
  display: flex;
  gap: 10px;
  align-items: center;
  margin: 4px 0;
}
</style>
