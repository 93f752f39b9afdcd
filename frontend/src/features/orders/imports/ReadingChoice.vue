<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../../../api/client";
import { SelectField } from "../../../shared/ui";

/** How a file was read, with what else could be meant; shown large only where the guess is unsure. */
const props = defineProps<{ made: Schemas["ImportOut"]; busy: boolean }>();
const emit = defineEmits<{
  read: [Schemas["ReadingIn"]];
  decimal: [Schemas["ImportOut"]["decimal"]];
  days: [Schemas["ImportOut"]["days"]];
}>();
const reading = computed(() => props.made.reading);
const unsure = computed(() => reading.value.doubts.length > 0);
const open = computed(() => props.made.state === "mapping" || props.made.state === "undone");
const NAMES: Record<string, string> = { ",": "comma", ";": "semicolon", "\t": "tab", "|": "bar" };
const delimiters = Object.entries(NAMES).map(([value, title]) => ({ value, title }));
const headers = Array.from({ length: 15 }, (_, i) => ({ value: i + 1, title: `row ${i + 1}` }));
const signs = [
  { value: "" as const, title: "found out" },
  { value: "," as const, title: "comma" },
  { value: "." as const, title: "point" },
];
const dayOrders = [
  { value: "" as const, title: "found out" },
  { value: "dmy" as const, title: "day first" },
  { value: "mdy" as const, title: "month first" },
];
const hasDays = computed(() => ["ordered_on", "deliver_by"].some((f) => f in props.made.columns));
/** Read again with one thing said otherwise, the rest as it is. */
function say(change: Partial<Schemas["ReadingIn"]>): void {
  const { sheet, encoding, delimiter, header } = reading.value;
  const now = { sheet, encoding, delimiter: delimiter as "," | "", header };
  // Another sheet, encoding or delimiter may have its header elsewhere: that is found out anew.
  emit("read", "header" in change ? { ...now, ...change } : { ...now, header: null, ...change });
}
</script>

<template>
  <section class="reading" :class="{ unsure }" aria-label="How the file was read">
    <p v-for="doubt in reading.doubts" :key="doubt" class="snag warns">
      Look closely: {{ doubt }}.
    </p>
    <p v-if="reading.left_out" class="snag warns">Not read: {{ reading.left_out }}.</p>
    <ul v-if="reading.samples.length" class="samples">
      <li v-for="{ encoding, line } in reading.samples" :key="encoding">
        <button
          class="link"
          type="button"
          :aria-current="encoding === reading.encoding"
          :disabled="!open || busy"
          @click="say({ encoding })"
        >
          {{ encoding === reading.encoding ? "As now" : "Rather so" }}
        </button>
        <span class="sample">{{ line }}</span>
        <span class="mute small">{{ encoding }}</span>
      </li>
    </ul>
    <p v-if="open" class="choices">
      <SelectField
        v-if="reading.sheets.length > 1"
        above
        label="Sheet"
        :model-value="reading.sheet"
        :items="
          reading.sheets.map((s) => ({ value: s, title: s === '*' ? 'all with this header' : s }))
        "
        @update:model-value="say({ sheet: $event })"
      />
      <template v-if="reading.delimiter">
        <SelectField
          above
          label="Parted by"
          :model-value="reading.delimiter"
          :items="delimiters"
          @update:model-value="say({ delimiter: $event as ',' })"
        />
        <SelectField
          above
          label="Encoding"
          :model-value="reading.encoding"
          :items="reading.encodings.map((e) => ({ value: e, title: e }))"
          @update:model-value="say({ encoding: $event })"
        />
      </template>
      <SelectField
        above
        label="Headers stand in"
        :model-value="reading.header"
        :items="headers"
        @update:model-value="say({ header: $event })"
      />
      <SelectField
        above
        label="Decimal sign"
        :model-value="made.decimal"
        :items="signs"
        @update:model-value="emit('decimal', $event)"
      />
      <SelectField
        v-if="hasDays"
        above
        label="In dates"
        :model-value="made.days"
        :items="dayOrders"
        @update:model-value="emit('days', $event)"
      />
    </p>
  </section>
</template>

<style scoped>
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
}
.samples {
  list-style: none;
  padding: 0;
}
.samples li {
  display: flex;
  gap: 12px;
  align-items: baseline;
}
.sample {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
