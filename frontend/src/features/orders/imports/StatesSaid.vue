<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../../../api/client";
import { count } from "../../../shared/format";
import { SelectField } from "../../../shared/ui";

/** Words that decide what becomes of rows, how many say them and what they mean: asked once, remembered. */
type Means = "open" | "not";
type State = Schemas["StateOut"];
const props = defineProps<{ states: State[]; open: boolean }>();
const emit = defineEmits<{ say: [text: string, means: Means] }>();
const asked = computed(() => props.states.filter((s) => !s.means));
const LINE = { open: "is goods and packed", not: "is not packed" };
const MEANS: Record<State["kind"], Record<Means, string>> = {
  state: { open: "the order may go", not: "the order must not go" },
  door: { open: "go: nothing is collected", not: "do not go" },
  delivery: { ...LINE, not: "is delivery paid, not packed" },
  discount: LINE,
  currency: { open: "import, prices stay as they are", not: "do not import" },
};
const KINDS: Record<State["kind"], string> = {
  state: "",
  door: "paid at the door",
  delivery: "a line for delivery",
  discount: "a discount",
  currency: "another currency than the shop's",
};
/** A code of a currency is written in capitals everywhere. */
const shown = (s: State) => (s.kind === "currency" ? s.text.toUpperCase() : s.text);
function choices(s: State) {
  const said = Object.entries(MEANS[s.kind]).map(([value, title]) => ({ value, title }));
  return s.means ? said : [{ value: "", title: "not said yet" }, ...said];
}
</script>

<template>
  <section aria-label="What the words mean">
    <h2>What the words mean</h2>
    <p v-if="asked.length" class="snag warns">
      {{
        asked.length === 1
          ? `“${shown(asked[0]!)}” is not decided: ${count(asked[0]!.count, "row")} kept back until you say what it means.`
          : `${asked.length} words are not decided: their rows are kept back until you say what they mean.`
      }}
    </p>
    <table class="plain-table" aria-label="What the words mean">
      <thead>
        <tr>
          <th>The file says</th>
          <th class="right">Rows</th>
          <th>Means</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="s in states" :key="s.text">
          <td>
            {{ shown(s) }} <span v-if="KINDS[s.kind]" class="mute small">{{ KINDS[s.kind] }}</span>
          </td>
          <td class="right">{{ s.count }}</td>
          <td>
            <SelectField
              :label="`What “${shown(s)}” means`"
              :model-value="s.means"
              :items="choices(s)"
              :disabled="!open"
              @update:model-value="$event && emit('say', s.text, $event as Means)"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <p class="mute small">Remembered for every file with the same headings.</p>
  </section>
</template>
