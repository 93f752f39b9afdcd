<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { ref } from "vue";
import { api, need, type Schemas } from "../api/client";
import { ErrorNote } from "./ui";

const emit = defineEmits<{ found: [parsed: Schemas["ParsedOut"]] }>();
const text = ref("");
const open = ref(false);
const parse = useMutation({
  mutationFn: async () =>
    need(
      await api.POST("/api/addresses/parse", {
        body: { text: text.value.slice(0, 5_000), home_country: "" },
      }),
    ),
  onSuccess: (parsed) => {
    open.value = false;
    emit("found", parsed);
  },
});
function copied(): void {
  window.setTimeout(() => text.value.trim() && parse.mutate());
}
</script>

<template>
  <div class="copied">
    <button class="link" type="button" :aria-expanded="open" @click="open = !open">
      Read a copied address
    </button>
    <template v-if="open">
      <textarea
        v-model="text"
        v-first
        rows="5"
        aria-label="Address as it was written"
        placeholder="The whole block: name, street, town, country, phone…"
        @paste="copied"
      />
      <button class="link" type="button" :disabled="!text.trim()" @click="parse.mutate()">
        Put it into the fields
      </button>
      <ErrorNote :error="parse.error.value" />
    </template>
  </div>
</template>

<style scoped>
.copied {
  display: grid;
  justify-items: start;
  gap: 4px;
  margin-bottom: 8px;
}
textarea {
  font: inherit;
  width: 100%;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 8px 10px;
}
</style>
