<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../../../api/client";
import { count } from "../../../shared/format";
import { SelectField } from "../../../shared/ui";
import { fieldWords } from "./fields";

/** Columns that nobody understood: each is given a field or left out, once for all files with these headings. */
const props = defineProps<{ made: Schemas["ImportOut"]; busy: boolean }>();
const emit = defineEmits<{
  map: [field: string, column: number];
  leaveOut: [headings: string[]];
}>();
const OUT = "does not matter";
const asked = computed(() => props.made.unread.filter((u) => u.asked));
const choices = computed(() => [
  { value: "", title: "not said yet" },
  { value: OUT, title: "does not matter" },
  ...props.made.fields.map((f) => ({ value: f, title: fieldWords(f) })),
]);
function say(heading: string, what: string): void {
  if (what === OUT) return emit("leaveOut", [heading]);
  const at = props.made.headers.indexOf(heading);
  emit("map", what, at >= 0 ? at : Number(heading.replace(/\D/g, "")) - 1);
}
</script>

<template>
  <section v-if="asked.length" aria-label="Columns not understood">
    <h2>{{ count(asked.length, "column") }} not understood</h2>
    <p class="snag warns">
      Anything in {{ asked.length === 1 ? "it" : "them" }} that changes what is sent, where or when?
      Nothing is imported until you have said so.
    </p>
    <table class="plain-table" aria-label="Columns not understood">
      <thead>
        <tr>
          <th>Column</th>
          <th class="right">Filled in</th>
          <th>Says, for example</th>
          <th>What it is</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="u in asked" :key="u.heading">
          <td>{{ u.heading }}</td>
          <td class="right">{{ count(u.filled, "row") }}</td>
          <td class="mute small cell">{{ u.examples.join(" · ") }}</td>
          <td>
            <SelectField
              :label="`What “${u.heading}” is`"
              model-value=""
              :items="choices"
              :disabled="busy"
              @update:model-value="$event && say(u.heading, $event)"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <p>
      <v-btn
        variant="outlined"
        :loading="busy"
        @click="
          emit(
            'leaveOut',
            asked.map((u) => u.heading),
          )
        "
        >{{
          ["", "Leave it out", "Leave both out"][asked.length] ?? `Leave all ${asked.length} out`
        }}</v-btn
      >
      <span class="mute small">Remembered for every file with the same headings.</span>
    </p>
  </section>
</template>

<style scoped>
.cell {
  max-width: 260px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
