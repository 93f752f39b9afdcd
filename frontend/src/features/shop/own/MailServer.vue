<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref, watch } from "vue";
import { type Schemas } from "../../../api/client";
import { ErrorNote } from "../../../shared/ui";
import { mailQuery, saveMail, tryMail } from "../queries";
import SignedMails from "./SignedMails.vue";
import TrySending from "./TrySending.vue";

/** The server that the shop's mails go through, and a mail to try it. */
const client = useQueryClient();
const { data: known, error } = useQuery(mailQuery);
const draft = ref<Schemas["MailServerIn"]>();
/** Left alone, the password stays as it is: it never comes out of the server. */
const password = ref("");
watch(
  known,
  (now) => {
    if (now && !draft.value) draft.value = { ...now };
  },
  { immediate: true },
);
const save = useMutation({
  mutationFn: (said: Schemas["MailServerIn"]) =>
    saveMail({ ...said, password: password.value || null }),
  onSuccess: () => {
    password.value = "";
    void client.invalidateQueries({ queryKey: ["shop"] });
  },
});
const WAYS = [
  { value: "starttls" as const, title: "STARTTLS" },
  { value: "tls" as const, title: "TLS from the start" },
  { value: "none" as const, title: "open, on this machine" },
];
</script>

<template>
  <section class="panel" aria-label="Mail">
    <h2>Mail</h2>
    <ErrorNote :error="error ?? save.error.value" />
    <form v-if="draft" @submit.prevent="save.mutate(draft)">
      <div class="form-grid">
        <v-text-field v-model="draft.host" class="w3" label="Mail server" placeholder="smtp." />
        <v-text-field
          v-model.number="draft.port"
          class="w2"
          label="Port"
          type="number"
          min="1"
          max="65535"
        />
        <v-select v-model="draft.tls" class="w3" label="Kept private by" :items="WAYS" />
        <v-text-field v-model="draft.sender" class="w3" label="Mails come from" required />
        <v-text-field v-model="draft.user" class="w3" label="Name to sign in with" />
        <v-text-field
          v-model="password"
          class="w3"
          label="Password, left empty it stays"
          type="password"
          autocomplete="off"
        />
      </div>
      <p>
        <v-btn type="submit" :loading="save.isPending.value">Save the mail server</v-btn>
        <span v-if="save.isSuccess.value" class="fine small saved" role="status"
          >Saved. It is used once it has taken a test mail.</span
        >
      </p>
    </form>
    <TrySending type="email" :send="tryMail" />
    <SignedMails />
  </section>
</template>

<style scoped>
.panel {
  max-width: 820px;
  padding: 16px;
  margin-top: 16px;
}
.saved {
  margin-left: 12px;
}
h2 {
  margin: 0 0 10px;
}
</style>
