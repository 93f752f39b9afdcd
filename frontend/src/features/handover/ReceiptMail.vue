<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { ref } from "vue";
import { mailReceipt } from "./queries";
import { type Schemas } from "../../api/client";
import { ErrorNote } from "../../shared/ui";

/** A receipt of what was handed over, by mail to whoever wants one. */
const props = defineProps<{ departure: Schemas["DepartureIn"] }>();
const to = ref("");
const mail = useMutation({ mutationFn: () => mailReceipt(props.departure, to.value.trim()) });
const { isPending: mailing } = mail;
</script>

<template>
  <form class="receipt" @submit.prevent="mail.mutate()">
    <v-text-field v-model="to" type="email" label="A receipt by mail to" required maxlength="200" />
    <v-btn type="submit" variant="outlined" :loading="mailing">Mail it</v-btn>
  </form>
  <ErrorNote :error="mail.error.value" />
  <p v-if="mail.isSuccess.value" class="fine small" role="status">The receipt is mailed.</p>
</template>

<style scoped>
.receipt {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 8px 0;
}
</style>
