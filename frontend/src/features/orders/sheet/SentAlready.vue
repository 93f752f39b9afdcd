<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { ref } from "vue";
import { setSent } from "../queries";
import { type Schemas } from "../../../api/client";
import { ErrorNote } from "../../../shared/ui";

/** How many of each item went already, by another way; the plan is for the rest. */
const props = defineProps<{ id: number; lines: Schemas["OrderLineOut"][] }>();
const emit = defineEmits<{ close: []; done: [] }>();
const sent = ref(Object.fromEntries(props.lines.map((l) => [l.id, String(l.sent)])));
const save = useMutation({
  mutationFn: () =>
    setSent(props.id, {
      items: Object.fromEntries(
        Object.entries(sent.value).map(([id, n]) => [id, Math.max(0, Math.round(Number(n)) || 0)]),
      ),
    }),
  onSuccess: () => emit("done"),
});
</script>

<template>
  <form class="sent" @submit.prevent="save.mutate()">
    <ErrorNote :error="save.error.value" />
    <p class="mute small">Went already, by another way:</p>
    <label v-for="l in lines" :key="l.id"
      ><input v-model="sent[l.id]" inputmode="numeric" :aria-label="`Sent already of ${l.name}`" />
      of {{ l.quantity }} {{ l.name }}</label
    >
    <p>
      <button class="link" type="submit">Keep</button>
      <button class="link" type="button" @click="emit('close')">Not now</button>
    </p>
  </form>
</template>

<style scoped>
.sent label {
  display: block;
  padding: 2px 0;
}
input {
  font: inherit;
  width: 48px;
  text-align: right;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 2px 6px;
  min-height: 24px;
}
</style>
