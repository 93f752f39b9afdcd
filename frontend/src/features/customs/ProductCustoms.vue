<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { refDebounced } from "@vueuse/core";
import { computed } from "vue";
import { codesQuery, wordsQuery } from "./queries";
import { CountryField } from "../../shared/ui";

/** What customs is told of one product: words, code and origin, each judged while it is typed. */
const text = defineModel<string>("text", { required: true });
const code = defineModel<string>("code", { required: true });
const origin = defineModel<string>("origin", { required: true });
/** `asked`: it is what the dialog asks for, and not one thing among others. */
const props = defineProps<{ sku: string; name: string; asked?: boolean }>();
const typed = refDebounced(text, 200);
const { data: words } = useQuery(computed(() => wordsQuery(props.sku, typed.value)));
/** Vague words find nothing: the product's own name does. */
const searched = computed(
  () => (words.value?.vague.length ? props.name : typed.value) || props.name,
);
const { data: codes } = useQuery(computed(() => codesQuery(searched.value)));
const plain = (written: string) => written.replace(/\D/g, "");
</script>

<template>
  <v-text-field
    v-model="text"
    v-first="asked"
    label="What it is, of what, for what"
    placeholder="Hand fork, steel and ash wood, for gardening"
    maxlength="200"
    :required="asked"
  />
  <p v-if="text && words?.vague.length" class="small stop" role="status">
    Too vague: {{ words.vague.join("; ") }}.
  </p>
  <p v-if="words?.better && words.better !== text" class="small">
    Better: “{{ words.better }}”
    <button class="link" type="button" @click="text = words.better">Take it</button>
  </p>
  <fieldset v-if="codes?.length" class="codes">
    <legend>Customs code for these words</legend>
    <label v-for="c in codes" :key="c.code">
      <input v-model="code" type="radio" name="code" :value="plain(c.code)" />
      <b class="mono">{{ c.code }}</b> {{ c.text }}
      <span class="mute small">{{ c.path[1] }}, {{ c.why }}</span>
    </label>
  </fieldset>
  <div class="row">
    <v-text-field
      v-model="code"
      label="Customs code (HS)"
      inputmode="numeric"
      maxlength="16"
      hint="Six digits; more where a country asks for them"
    />
    <CountryField v-model="origin" label="Made in" />
  </div>
</template>

<style scoped>
.codes {
  border: 0;
  padding: 0;
  margin: 4px 0 10px;
  display: grid;
  gap: 3px;
}
.codes legend {
  font-size: 11.5px;
  color: var(--mute);
}
.row {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}
.small {
  margin: 0 0 6px;
}
</style>
