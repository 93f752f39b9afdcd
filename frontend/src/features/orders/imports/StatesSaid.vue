<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../../../api/client";
import { count } from "../../../shared/format";
import { SelectField } from "../../../shared/ui";

/** What the rows say of their orders' state, how many say it, and whether such an order may go: asked once, remembered. */
type Means = "open" | "not";
const props = defineProps<{ states: Schemas["StateOut"][]; open: boolean }>();
const emit = defineEmits<{ say: [text: string, means: Means] }>();
const asked = computed(() => props.states.filter((s) => !s.means));
const MEANS = [
  { value: "", title: "not said yet" },
  { value: "open", title: "may go" },
  { value: "not", title: "must not go" },
];
</script>

<template>
  <section aria-label="What the states mean">
    <h2>What the states mean</h2>
    <p v-if="asked.length" class="snag warns">
      {{
        asked.length === 1
          ? `“${asked[0]!.text}” is not known: ${count(asked[0]!.count, "row")} kept back until you say whether it may go.`
          : `${asked.length} words are not known: their rows are kept back until you say whether they may go.`
      }}
    </p>
    <table class="plain-table" aria-label="What the states mean">
      <thead>
        <tr>
          <th>The file says</th>
          <th class="right">Rows</th>
          <th>Such an order</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="s in states" :key="s.text">
          <td>{{ s.text }}</td>
          <td class="right">{{ s.count }}</td>
          <td>
            <SelectField
              :label="`What “${s.text}” means`"
              :model-value="s.means"
              :items="MEANS.filter((m) => m.value || !s.means)"
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
