<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../../api/client";
import { country } from "../../shared/format";
import { useMe } from "../../shared/session";
import {
  firstOperand,
  isTest,
  opened,
  parts,
  readNumber,
  shownNumber,
  TEST_WORDS,
  unitOf,
  type Condition,
  type Operand,
  type Test,
} from "./written";
import { CheckField, SelectField } from "../../shared/ui";

const props = defineProps<{
  part: Condition;
  vocabulary: Schemas["VocabularyOut"];
  depth: number;
}>();
const emit = defineEmits<{ change: [part: Condition]; remove: [] }>();
const { currency } = useMe();

const negated = computed(() => "not" in props.part);
const inner = computed<Condition>(() => ("not" in props.part ? props.part.not : props.part));
const test = computed(() => (isTest(inner.value) ? inner.value : undefined));
const group = computed(() => (test.value ? undefined : opened(inner.value)));
const fact = computed(() => props.vocabulary.facts.find((f) => f.code === test.value?.fact));
const choices = computed<Record<string, string>>(() => {
  const code = fact.value?.code;
  if (code === "channel") return props.vocabulary.choices.channels;
  return Object.fromEntries(
    (fact.value?.kind === "choice" ? fact.value.values : []).map((v) => [
      v,
      v.replaceAll("_", " "),
    ]),
  );
});
const isNumber = computed(() =>
  ["money", "weight", "length", "volume", "count"].includes(fact.value?.kind ?? ""),
);

function send(next: Condition): void {
  emit("change", negated.value ? { not: next } : next);
}
function setFact(code: string): void {
  const found = props.vocabulary.facts.find((f) => f.code === code)!;
  const first = found.tests[found.kind === "money" || found.kind === "weight" ? 1 : 0]!;
  send({
    fact: code,
    test: first,
    to: firstOperand(
      found.kind,
      first,
      code === "channel" ? Object.keys(props.vocabulary.choices.channels) : found.values,
    ),
  });
}
function setTest(name: string): void {
  const before = test.value!;
  const to: Operand =
    name === "between"
      ? [Number(before.to) || 0, Number(before.to) || 0]
      : before.test === "between"
        ? (before.to as number[])[0]!
        : before.to;
  send({ ...before, test: name, to });
}
function setTo(to: Operand): void {
  send({ ...(test.value as Test), to });
}
function toggle(value: string): void {
  const now = (test.value?.to as string[]) ?? [];
  setTo(now.includes(value) ? now.filter((v) => v !== value) : [...now, value]);
}
const listText = computed(() =>
  Array.isArray(test.value?.to) ? (test.value.to as string[]).join(", ") : "",
);
function setList(text: string): void {
  setTo(
    text
      .split(/[,;\n]/)
      .map((v) => v.trim())
      .filter(Boolean),
  );
}
function join(word: string): void {
  const now = parts(inner.value);
  send(word === "any" ? { any: now } : { all: now });
}
function setPart(at: number, next: Condition | undefined): void {
  const now = [...parts(inner.value)];
  if (next) now[at] = next;
  else now.splice(at, 1);
  send("any" in inner.value && now.length ? { any: now } : { all: now });
}
function add(next: Condition): void {
  send(
    "any" in inner.value
      ? { any: [...inner.value.any, next] }
      : { all: [...parts(inner.value), next] },
  );
}
const BLANK: Condition = { fact: "country", test: "is_any_of", to: ["PT"] };
</script>

<template>
  <div class="part" :class="{ nested: depth > 0 && group }">
    <template v-if="test && fact">
      <CheckField
        :model-value="negated"
        label="not"
        @update:model-value="emit('change', negated ? inner : { not: inner })"
      />
      <SelectField
        :model-value="test.fact"
        label="Fact"
        :items="vocabulary.facts.map((f) => ({ value: f.code, title: f.words }))"
        @update:model-value="setFact"
      />
      <SelectField
        :model-value="test.test"
        label="Test"
        :items="fact.tests.map((t) => ({ value: t, title: TEST_WORDS[t] ?? t }))"
        @update:model-value="setTest"
      />
      <template v-if="isNumber">
        <input
          class="number"
          inputmode="decimal"
          :aria-label="test.test === 'between' ? 'From' : 'Figure'"
          :value="shownNumber(fact.kind, Array.isArray(test.to) ? test.to[0] : test.to)"
          @change="
            setTo(
              test.test === 'between'
                ? [
                    readNumber(fact.kind, ($event.target as HTMLInputElement).value),
                    (test.to as number[])[1]!,
                  ]
                : readNumber(fact.kind, ($event.target as HTMLInputElement).value),
            )
          "
        />
        <template v-if="test.test === 'between'">
          to
          <input
            class="number"
            inputmode="decimal"
            aria-label="To"
            :value="shownNumber(fact.kind, (test.to as number[])[1])"
            @change="
              setTo([
                (test.to as number[])[0]!,
                readNumber(fact.kind, ($event.target as HTMLInputElement).value),
              ])
            "
        /></template>
        {{ unitOf(fact.kind, currency) }}
      </template>
      <span
        v-else-if="Object.keys(choices).length"
        class="choices"
        role="group"
        :aria-label="fact.words"
      >
        <button
          v-for="(name, value) in choices"
          :key="value"
          type="button"
          class="chip"
          :aria-pressed="(test.to as string[]).includes(String(value))"
          @click="toggle(String(value))"
        >
          {{ name }}
        </button>
      </span>
      <input
        v-else-if="fact.kind === 'text' || fact.kind === 'time'"
        :type="fact.kind === 'time' ? 'time' : 'text'"
        aria-label="Text"
        :value="test.to"
        @change="setTo(($event.target as HTMLInputElement).value)"
      />
      <SelectField
        v-else-if="fact.kind === 'flag'"
        label="Yes or no"
        :model-value="test.to === true || test.to === 'true'"
        :items="[
          { value: true, title: 'yes' },
          { value: false, title: 'no' },
        ]"
        @update:model-value="setTo"
      />
      <span v-else
        ><input
          class="wide"
          :aria-label="`${fact.words}, with commas`"
          :value="listText"
          :placeholder="fact.kind === 'postcode' ? '9500-9980, 22' : 'with commas'"
          @change="setList(($event.target as HTMLInputElement).value)"
        />
        <span v-if="['country', 'origin'].includes(fact.code)" class="mute small">
          {{ (test.to as string[]).map(country).join(", ") }}</span
        ></span
      >
      <button class="link" type="button" aria-label="Remove this part" @click="emit('remove')">
        ×
      </button>
    </template>
    <template v-else-if="group">
      <div class="joiner">
        <CheckField
          v-if="depth > 0"
          :model-value="negated"
          label="not"
          @update:model-value="emit('change', negated ? inner : { not: inner })"
        />
        <SelectField
          :model-value="'any' in group ? 'any' : 'all'"
          label="All or any"
          :items="[
            { value: 'all', title: 'all of these hold' },
            { value: 'any', title: 'any of these holds' },
          ]"
          @update:model-value="join"
        />
        <span v-if="!parts(group).length" class="mute"
          >nothing is asked: it is for every order</span
        >
        <button
          v-if="depth > 0"
          class="link"
          type="button"
          aria-label="Remove this group"
          @click="emit('remove')"
        >
          ×
        </button>
      </div>
      <ConditionPart
        v-for="(p, i) in parts(group)"
        :key="i"
        :part="p"
        :vocabulary="vocabulary"
        :depth="depth + 1"
        @change="setPart(i, $event)"
        @remove="setPart(i, undefined)"
      />
      <button class="link" type="button" @click="add(BLANK)">And ask for more</button>
      <button v-if="depth < 4" class="link" type="button" @click="add({ any: [BLANK] })">
        A group of its own
      </button>
    </template>
  </div>
</template>

<style scoped>
.part {
  padding: 3px 0;
  display: block;
}
.part > select,
.part > input,
.joiner select {
  margin-right: 6px;
}
.nested {
  border-left: 2px solid var(--line);
  padding-left: 12px;
  margin: 4px 0;
}
input {
  font: inherit;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 3px 6px;
  max-width: 230px;
}
.number {
  width: 84px;
  text-align: right;
}
.wide {
  width: 230px;
}
.not {
  color: var(--mute);
  margin-right: 6px;
  font-size: 12px;
}
.choices .chip {
  margin: 1px 3px 1px 0;
  padding: 1px 9px;
}
</style>
