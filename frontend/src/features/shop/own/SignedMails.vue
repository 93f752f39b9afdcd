<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { CheckField, ErrorNote } from "../../../shared/ui";
import { forgetSigningKey, keepSigningKey, signingQuery, signMails } from "../queries";

/** Mails that are signed are believed sooner: the record to publish first, then the switch. */
const client = useQueryClient();
const { data: known, error } = useQuery(signingQuery);
const bringing = ref(false);
const pem = ref("");
const selector = ref("");
const change = useMutation({
  mutationFn: (what: () => ReturnType<typeof signMails>) => what(),
  onSuccess: (now) => {
    client.setQueryData(signingQuery.queryKey, now);
    bringing.value = false;
    pem.value = "";
  },
});
const { isPending: working } = change;
const make = () => change.mutate(() => keepSigningKey({ selector: "", pem: "" }));
const bring = () =>
  change.mutate(() => keepSigningKey({ selector: selector.value, pem: pem.value }));
const record = computed(() =>
  known.value ? `${known.value.record_name}\n${known.value.record}` : "",
);
const copied = ref(false);
async function copy(): Promise<void> {
  await navigator.clipboard.writeText(known.value?.record ?? "");
  copied.value = true;
}
</script>

<template>
  <h3>Signed mails</h3>
  <ErrorNote :error="error ?? change.error.value" />
  <template v-if="known && !known.domain">
    <p class="small mute">
      Mail programs sort out fewer mails whose sender's domain has signed them (DKIM, RFC 6376).
    </p>
    <form v-if="bringing" class="form-grid" @submit.prevent="bring">
      <v-text-field
        v-model="selector"
        v-first
        class="w3"
        label="Selector under which it is published"
      />
      <v-textarea v-model="pem" class="all" rows="5" label="Private key (RSA, PEM)" required />
      <p class="all">
        <v-btn type="submit" :loading="working">Keep this key</v-btn>
        <button type="button" class="link" @click="bringing = false">Leave it</button>
      </p>
    </form>
    <p v-else>
      <v-btn variant="outlined" :loading="working" @click="make">Make a key</v-btn>
      <button type="button" class="link" @click="bringing = true">We have one</button>
    </p>
  </template>
  <template v-else-if="known">
    <p class="small">
      Publish this TXT record in the DNS of <b>{{ known.domain }}</b>, then switch signing on:
    </p>
    <pre tabindex="0" aria-label="The record to publish">{{ record }}</pre>
    <p class="row">
      <button type="button" class="link" @click="copy">Copy its text</button>
      <span v-if="copied" role="status" class="fine small">✓ Copied</span>
      <CheckField
        :model-value="known.on"
        label="Sign the shop's mails"
        @update:model-value="(on) => change.mutate(() => signMails(Boolean(on)))"
      />
      <button type="button" class="link" @click="change.mutate(forgetSigningKey)">
        Take the key away
      </button>
    </p>
  </template>
</template>

<style scoped>
h3 {
  margin: 18px 0 4px;
}
pre {
  padding: 8px 12px;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
  background: var(--soft);
}
.row {
  display: flex;
  gap: 20px;
  align-items: center;
}
form .all {
  grid-column: 1 / -1;
}
</style>
