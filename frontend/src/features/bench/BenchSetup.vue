<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { fetchBenchSettings, fetchPacked, makeBadge, saveBenchSettings } from "./queries";
import { type Schemas } from "../../api/client";
import { count, day } from "../../shared/format";
import { useMe } from "../../shared/session";
import { CheckField, DataTable, ErrorNote, SelectField } from "../../shared/ui";
import { peopleQuery } from "../people";

/** How the shop packs: whether every parcel is weighed, the scale, sheets of codes and badges, who packed how much. */
const { may } = useMe();
const client = useQueryClient();
const { data: known, error } = useQuery({ queryKey: ["bench"], queryFn: fetchBenchSettings });
const { data: packed } = useQuery({
  queryKey: ["bench", "packed"],
  queryFn: fetchPacked,
  enabled: may(),
});
const { data: people } = useQuery({ ...peopleQuery, enabled: may() });
const draft = ref<Schemas["BenchSettingsIO"]>();
watch(known, (found) => found && (draft.value ??= { ...found }), { immediate: true });
const share = computed({
  get: () => String((draft.value?.share_bp ?? 0) / 100),
  set: (typed: string) => {
    const read = Number(typed.replace(",", "."));
    if (draft.value && Number.isFinite(read)) draft.value.share_bp = Math.round(read * 100);
  },
});
const save = useMutation({
  mutationFn: saveBenchSettings,
  onSuccess: () => client.invalidateQueries({ queryKey: ["bench"] }),
});
const { isPending: saving } = save;
function print(): void {
  if (who.value) badge.mutate(who.value);
}
const SHEETS = [
  ["actions", "Actions and reasons"],
  ["amounts", "Amounts"],
  ["recipes", "Recipes"],
  ["boxes", "Boxes"],
] as const;
const who = ref<number | null>(null);
const packers = computed(() =>
  (people.value ?? [])
    .filter((p) => p.state === "at_work" && ["owner", "shipper", "packer"].includes(p.role))
    .map((p) => ({ title: p.name, value: p.id })),
);
function send(): void {
  if (draft.value) save.mutate(draft.value);
}
watch(packers, (found) => (who.value ??= found[0]?.value ?? null), {
  immediate: true,
});
const badge = useMutation({
  mutationFn: makeBadge,
  onSuccess: (file) => window.open(URL.createObjectURL(file), "_blank"),
});
const { isPending: making } = badge;
const SCALE =
  "Like ws://127.0.0.1:8765/read; empty where a USB scale is read by the browser, or none is there";
</script>

<template>
  <div class="page" tabindex="0" role="region" aria-label="Bench">
    <div class="head">
      <h1>Bench</h1>
      <span class="mute">Parcels are packed there by scanner alone; its page is Pack, Bench.</span>
    </div>
    <ErrorNote :error="error ?? save.error.value ?? badge.error.value" />
    <form v-if="draft" class="form" @submit.prevent="send">
      <h2>Weighing</h2>
      <CheckField
        v-model="draft.weighs"
        label="Every parcel is weighed before its label is printed"
        :disabled="!may()"
      />
      <div class="three">
        <v-text-field
          v-model="share"
          label="A weight may be off by (per cent)"
          inputmode="decimal"
          :disabled="!may()"
        />
        <v-text-field
          v-model.number="draft.least_g"
          label="and always by (g)"
          inputmode="numeric"
          :disabled="!may()"
        />
        <v-text-field
          v-model="draft.scale_address"
          label="Address of the scale on the bench's machine"
          :hint="SCALE"
          persistent-hint
          :disabled="!may()"
        />
      </div>
      <p v-if="may()">
        <v-btn type="submit" :loading="saving">Save</v-btn>
        <span v-if="save.isSuccess.value" class="fine"> Saved</span>
      </p>
    </form>
    <h2>Sheets of codes</h2>
    <p class="mute">
      Print them and hang them up where parcels are packed: with them no keyboard is needed.
    </p>
    <p class="sheets">
      <a
        v-for="[what, words] in SHEETS"
        :key="what"
        class="link"
        :href="`/api/code-sheets/${what}.pdf`"
        target="_blank"
        rel="noopener"
        >{{ words }}</a
      >
    </p>
    <template v-if="may()">
      <h2>Badges</h2>
      <p class="mute">
        A badge says who packs at a bench and gives no right of its own. A new one makes the old one
        worthless.
      </p>
      <form class="badge" @submit.prevent="print">
        <SelectField v-model="who" label="For" :items="packers" />
        <v-btn type="submit" variant="outlined" :loading="making" :disabled="!who"
          >Make a badge</v-btn
        >
      </form>
      <h2>Packed in the last fortnight</h2>
      <DataTable
        label="Packed by day and person"
        :columns="[
          'Day',
          'Who',
          { title: 'Parcels', figure: true },
          { title: 'An hour', figure: true },
          { title: 'Mistakes stopped', figure: true },
        ]"
        :rows="packed"
        :row-key="(r) => r.day + r.person"
        none="Nothing was packed at a bench yet."
        ><template #row="{ row: r }">
          <td>{{ day(r.day) }}</td>
          <td>{{ r.person }}</td>
          <td class="right">{{ r.parcels }}</td>
          <td class="right">
            {{ r.minutes >= 10 ? Math.round((r.parcels / r.minutes) * 60) : "–" }}
          </td>
          <td class="right">{{ r.mistakes }}</td>
        </template></DataTable
      >
      <p v-if="packed?.length" class="mute small">
        An hour is reckoned from somebody's first order of the day to the last parcel; with less
        than ten minutes there is none. {{ count(packed.length, "row") }}.
      </p>
    </template>
  </div>
</template>

<style scoped>
.form,
.badge {
  max-width: 900px;
}
.three {
  margin-top: 14px;
  display: grid;
  grid-template-columns: 15rem 9rem 1fr;
  align-items: start;
  gap: 14px;
}
h2 {
  margin: 22px 0 6px;
}
.sheets {
  display: flex;
  gap: 18px;
}
.badge {
  display: flex;
  gap: 14px;
  align-items: center;
  max-width: 480px;
}
</style>
