<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { count } from "../../shared/format";
import { FormDialog } from "../../shared/ui";
import { erasePerson } from "./queries";

/** A buyer asks what is kept of him, or to be forgotten. */
const mail = ref("");
const file = computed(() => `/api/personal-data?mail=${encodeURIComponent(mail.value.trim())}`);
const sure = ref(false);
const erase = useMutation({
  mutationFn: () => erasePerson(mail.value.trim()),
  onSuccess: () => (sure.value = false),
});
</script>

<template>
  <section aria-label="A buyer's data">
    <div class="head">
      <h2>A buyer’s data</h2>
      <span class="mute">Everything kept under a mail address, to hand over or to erase</span>
    </div>
    <form class="row" @submit.prevent="sure = true">
      <v-text-field v-model="mail" label="The buyer’s mail address" type="email" required />
      <a class="link" :href="mail.trim() ? file : undefined">Fetch as a file</a>
      <v-btn type="submit" variant="outlined" :disabled="!mail.trim()">Erase…</v-btn>
    </form>
    <p v-if="erase.data.value" class="note" role="status">
      {{ count(erase.data.value.erased, "order") }} erased.
      {{
        erase.data.value.kept.length
          ? `Kept until they are done: ${erase.data.value.kept.join(", ")}. Ask again then.`
          : "Nothing of the buyer is kept."
      }}
    </p>
    <FormDialog
      v-if="sure"
      title="Erase a buyer's data"
      :width="480"
      closes="Keep"
      :error="erase.error.value"
      @close="sure = false"
      @send="erase.mutate()"
    >
      <p>
        Name, address and mails of {{ mail.trim() }} are erased and cannot be brought back. Numbers,
        prices and the ledger stay. Orders that wait or are on their way are kept.
      </p>
      <template #actions
        ><v-btn type="submit" :loading="erase.isPending.value">Erase</v-btn></template
      >
    </FormDialog>
  </section>
</template>

<style scoped>
section {
  margin-top: 26px;
}
.row {
  display: flex;
  gap: 12px;
  align-items: center;
  max-width: 720px;
}
</style>
