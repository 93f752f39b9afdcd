<script setup lang="ts">
import ActionPart from "./ActionPart.vue";
import ConditionPart from "./ConditionPart.vue";
import type { Schemas } from "../../api/client";
import { opened, type Rule } from "./written";

/** One rule of the draft, opened: its name, its condition, what it does, and for which orders it holds. */
const rule = defineModel<Rule>("rule", { required: true });
defineProps<{ vocabulary: Schemas["VocabularyOut"]; matched: string[]; touched: number }>();
</script>

<template>
  <div class="editor">
    <label class="mute small"
      >Name <input v-model="rule.name" maxlength="120" class="name" placeholder="What it is for"
    /></label>
    <h3>If</h3>
    <ConditionPart
      :part="opened(rule.when)"
      :vocabulary="vocabulary"
      :depth="0"
      @change="rule.when = $event"
    />
    <h3>then</h3>
    <ActionPart
      v-for="(a, n) in rule.do"
      :key="n"
      :action="a"
      :vocabulary="vocabulary"
      @change="rule.do[n] = $event"
      @remove="rule.do.splice(n, 1)"
    />
    <button class="link" type="button" @click="rule.do.push({ set: 'tag', to: 'new' })">
      And do more
    </button>
    <p v-if="matched.length" class="mute small">
      It holds for {{ matched.join(", ") }}{{ touched > 8 ? "…" : "" }}
    </p>
    <p v-else class="mute small">No waiting order matches.</p>
  </div>
</template>

<style scoped>
.editor {
  background: var(--paper);
  border: 1px solid var(--line);
  padding: 10px 14px;
  margin-top: 8px;
}
.name {
  font: inherit;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 3px 6px;
  width: 320px;
  margin-left: 6px;
}
</style>
