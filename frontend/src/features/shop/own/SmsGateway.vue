<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref, watch } from "vue";
import { type Schemas } from "../../../api/client";
import { ErrorNote } from "../../../shared/ui";
import { smsQuery, saveSms, trySms } from "../queries";
import TrySending from "./TrySending.vue";

/** The gateway that text messages go through: any that takes them by HTTP, by a template of one's own. */
const client = useQueryClient();
const { data: known, error } = useQuery(smsQuery);
const draft = ref<Schemas["SmsGatewayIn"]>();
/** Left alone, the key stays as it is: it never comes out of the server. */
const secret = ref("");
watch(
  known,
  (now) => {
    if (now && !draft.value) draft.value = { ...now };
  },
  { immediate: true },
);
const save = useMutation({
  mutationFn: (said: Schemas["SmsGatewayIn"]) => saveSms({ ...said, secret: secret.value || null }),
  onSuccess: () => {
    secret.value = "";
    void client.invalidateQueries({ queryKey: ["shop"] });
  },
});
const { isPending: saving } = save;
const FORMS = [
  { value: "json" as const, title: "JSON" },
  { value: "form" as const, title: "form, one field a line" },
];
</script>

<template>
  <section class="panel" aria-label="Text messages">
    <h2>Text messages</h2>
    <ErrorNote :error="error ?? save.error.value" />
    <form v-if="draft" @submit.prevent="save.mutate(draft)">
      <div class="form-grid">
        <v-text-field v-model="draft.url" class="w4" label="Address of the gateway" />
        <v-select v-model="draft.form" class="w2" label="The body is" :items="FORMS" />
        <v-textarea
          v-model="draft.template"
          class="w6"
          rows="3"
          label="Body: {to}, {text}, {from}"
        />
        <v-text-field v-model="draft.sender" class="w2" label="Messages come from" />
        <v-text-field v-model="draft.header" class="w2" label="Header of its key" />
        <v-text-field
          v-model="secret"
          class="w2"
          label="Key, left empty it stays"
          type="password"
          autocomplete="off"
        />
      </div>
      <p>
        <v-btn type="submit" :loading="saving">Save the gateway</v-btn>
        <span v-if="save.isSuccess.value" class="fine small saved" role="status">Saved.</span>
      </p>
    </form>
    <TrySending type="tel" placeholder="+351" :send="trySms" />
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
