<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../../../api/client";
import { SelectField } from "../../../shared/ui";
import { fieldWords } from "./fields";

/** Which column of a file holds what: the guess to be mended, what is still needed, and what is not read at all. */
const props = defineProps<{ made: Schemas["ImportOut"] }>();
const emit = defineEmits<{
  map: [field: string, column: number | null];
  unit: ["g" | "kg" | "lb" | "oz"];
}>();
/** The unit of weights that name none; empty while nobody has said it. */
const weightUnit = computed(() => props.made.weight_unit as "" | "g" | "kg" | "lb" | "oz");
/** Headings that stand over several columns: nobody but the seller knows which of them says where it goes. */
const alike = computed(() => {
  const all = props.made.headers.filter(Boolean);
  const taken = new Set(Object.values(props.made.columns));
  const twice = new Set(all.filter((h, i) => all.indexOf(h) !== i));
  return [...twice].filter((h) => !props.made.headers.some((g, i) => g === h && taken.has(i)));
});
const leftOut = computed(() => props.made.unread.filter((u) => !u.asked).map((u) => u.heading));
const headerTitle = (header: string, at: number): string =>
  !header
    ? `column ${at + 1}`
    : props.made.headers.indexOf(header) === props.made.headers.lastIndexOf(header)
      ? header
      : `${header}, column ${at + 1}`;
</script>

<template>
  <section>
    <h2>Which column is what</h2>
    <p class="mute">
      Weights without a unit are in
      <SelectField
        label="Unit of weights"
        :model-value="weightUnit"
        :items="[
          ...(made.weight_unit ? [] : [{ value: '' as const, title: 'not said yet' }]),
          ...(['g', 'kg', 'lb', 'oz'] as const).map((u) => ({ value: u, title: u })),
        ]"
        @update:model-value="$event && emit('unit', $event)"
      />
    </p>
    <p v-if="made.missing.length" class="note bad">
      Still needed: {{ made.missing.map(fieldWords).join(", ") }}.
    </p>
    <p v-for="name in alike" :key="name" class="snag warns">
      “{{ name }}” stands over {{ made.headers.filter((h) => h === name).length }} columns: say
      which is where it goes.
    </p>
    <p v-if="leftOut.length" class="mute small">
      Left out, as they do not change what is sent: {{ leftOut.join(", ") }}.
    </p>
    <table class="plain-table">
      <thead>
        <tr>
          <th>Field</th>
          <th>Column</th>
          <th>First row</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="f in made.fields" :key="f">
          <td>
            {{ fieldWords(f) }}<b v-if="made.needed.includes(f)" class="stop" title="needed"> *</b>
          </td>
          <td>
            <SelectField
              :label="`Column for ${fieldWords(f)}`"
              :model-value="made.columns[f] ?? null"
              :items="[
                { value: null, title: '–' },
                ...made.headers.map((h, i) => ({ value: i, title: headerTitle(h, i) })),
              ]"
              @update:model-value="emit('map', f, $event)"
            />
          </td>
          <td class="mute cell">
            {{ made.columns[f] !== undefined ? made.sample[0]?.[made.columns[f]!] : "" }}
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
td:first-child {
  white-space: nowrap;
}
.cell {
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
