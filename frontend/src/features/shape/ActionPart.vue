<script setup lang="ts">
import { DateField, SelectField, named } from "../../shared/ui";
import { computed } from "vue";
import type { Schemas } from "../../api/client";
import { useMe } from "../../shared/session";
import { readNumber, shownNumber, type Action } from "./written";

const props = defineProps<{ action: Action; vocabulary: Schemas["VocabularyOut"] }>();
const emit = defineEmits<{ change: [action: Action]; remove: [] }>();
const { currency } = useMe();
const choices = computed<Record<string, string> | undefined>(() => {
  const c = props.vocabulary.choices;
  const extras = Object.fromEntries(c.extras.map((e) => [e, e.replaceAll("_", " ")]));
  return (
    {
      recipe: c.recipes,
      service: c.services,
      packaging: c.packagings,
      add_extra: extras,
      remove_extra: extras,
    } as Record<string, Record<string, string>>
  )[props.action.set];
});
const split = computed(
  () => (props.action.to ?? { by: "quantity", most: 1 }) as { by: string; most: number },
);
const day = computed(() => (props.action.to ?? {}) as { working_days?: number; date?: string });

function setKind(set: string): void {
  const c = props.vocabulary.choices;
  const firsts: Record<string, unknown> = {
    recipe: Object.keys(c.recipes)[0] ?? "",
    service: Object.keys(c.services)[0] ?? "",
    packaging: Object.keys(c.packagings)[0] ?? "",
    add_extra: c.extras[0] ?? "",
    remove_extra: c.extras[0] ?? "",
    value: 0,
    split: { by: "quantity", most: 1 },
    ship_date: { working_days: 1 },
  };
  emit("change", set === "stop" ? { set } : { set, to: firsts[set] ?? "" });
}
function setTo(to: unknown): void {
  emit("change", { set: props.action.set, to });
}
const text = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <div class="action">
    <SelectField
      :model-value="action.set"
      label="Action"
      :items="named(vocabulary.actions)"
      @update:model-value="setKind"
    />
    <SelectField
      v-if="choices"
      label="Which"
      :model-value="String(action.to ?? '')"
      :items="
        Object.keys(choices).length ? named(choices) : [{ value: '', title: 'there is none yet' }]
      "
      @update:model-value="setTo"
    />
    <template v-else-if="action.set === 'value'"
      ><input
        class="number"
        aria-label="Value"
        inputmode="decimal"
        :value="shownNumber('money', action.to)"
        @change="setTo(readNumber('money', text($event)))"
      />
      {{ currency }}</template
    >
    <template v-else-if="action.set === 'split'">
      <input
        class="number"
        aria-label="At most"
        inputmode="numeric"
        :value="split.most"
        @change="setTo({ ...split, most: Math.max(1, readNumber('count', text($event))) })"
      />
      <SelectField
        label="Items or grams"
        :model-value="split.by"
        :items="[
          { value: 'quantity', title: 'items' },
          { value: 'weight', title: 'g of goods' },
        ]"
        @update:model-value="setTo({ ...split, by: $event })"
      />
    </template>
    <template v-else-if="action.set === 'ship_date'">
      <template v-if="day.date === undefined"
        ><input
          class="number"
          aria-label="Working days"
          inputmode="numeric"
          :value="day.working_days"
          @change="setTo({ working_days: Math.min(60, readNumber('count', text($event))) })"
        />
        working days after it was ordered
        <button
          class="link"
          type="button"
          @click="setTo({ date: new Date().toISOString().slice(0, 10) })"
        >
          a date instead
        </button></template
      >
      <template v-else
        ><DateField
          class="day"
          label="Date"
          :model-value="day.date ?? null"
          @update:model-value="setTo({ date: $event ?? '' })"
        />
        <button class="link" type="button" @click="setTo({ working_days: 1 })">
          working days instead
        </button></template
      >
    </template>
    <input
      v-else-if="action.set !== 'stop'"
      class="wide"
      aria-label="Text"
      :value="action.to"
      :list="action.set === 'desk' ? 'desks' : undefined"
      maxlength="120"
      @change="setTo(text($event))"
    />
    <button class="link" type="button" aria-label="Remove this action" @click="emit('remove')">
      ×
    </button>
    <datalist v-if="action.set === 'desk'" id="desks">
      <option v-for="d in vocabulary.choices.desks" :key="d" :value="d" />
    </datalist>
  </div>
</template>

<style scoped>
.action {
  padding: 3px 0;
}
select,
input {
  font: inherit;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 3px 6px;
  max-width: 250px;
  margin-right: 6px;
}
.number {
  width: 84px;
  text-align: right;
}
.wide {
  width: 250px;
}
</style>
