<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { ref } from "vue";
import { type Schemas } from "../../../api/client";
import { ErrorNote } from "../../../shared/ui";

/** Something sent to try what was set, with the other side's own words where it does not go. */
const props = defineProps<{
  type: "email" | "tel";
  placeholder?: string;
  send: (to: string) => Promise<Schemas["TriedOut"]>;
}>();
const to = ref("");
const tried = useMutation({ mutationFn: () => props.send(to.value) });
const { isPending: busy, data: answer, error } = tried;
</script>

<template>
  <ErrorNote :error="error" />
  <form class="try" @submit.prevent="tried.mutate()">
    <v-text-field
      v-model="to"
      label="Send a test to"
      :type="type"
      :placeholder="placeholder"
      required
    />
    <v-btn type="submit" variant="outlined" :loading="busy">Send it</v-btn>
  </form>
  <p v-if="answer" class="note" :class="{ bad: !answer.ok }" role="status">{{ answer.words }}</p>
</template>

<style scoped>
.try {
  display: grid;
  grid-template-columns: minmax(0, 320px) auto 1fr;
  gap: 12px;
  align-items: center;
}
</style>
