<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { letterQuery, sendLetter, type Deed, type Parcel } from "./queries";
import { ErrorNote, FormDialog } from "../../../shared/ui";

/** A mail to a parcel's carrier or buyer, with all facts filled in, read before it goes. */
const props = defineProps<{ parcel: Parcel; to: Deed }>();
const emit = defineEmits<{ close: []; sent: [words: string] }>();
const client = useQueryClient();
const { data, error } = useQuery(computed(() => letterQuery(props.parcel.shipment_id, props.to)));
const mailTo = ref("");
watch(data, (letter) => (mailTo.value ||= letter?.to ?? ""), { immediate: true });
const send = useMutation({
  mutationFn: () => sendLetter(props.parcel.shipment_id, props.to, mailTo.value.trim()),
  onSuccess: () => {
    void client.invalidateQueries({ queryKey: ["tracking"] });
    emit("sent", props.to === "buyer" ? `${props.parcel.name} is told.` : "The carrier is asked.");
  },
});
const { isPending: busy } = send;
const LANGUAGES = new Intl.DisplayNames("en-GB", { type: "language" });
</script>

<template>
  <FormDialog
    :title="
      to === 'buyer' ? `Tell ${parcel.name || 'the buyer'}` : `Ask about parcel ${parcel.number}`
    "
    :error="send.error.value"
    @close="emit('close')"
    @send="send.mutate()"
  >
    <ErrorNote :error="error" />
    <template v-if="data">
      <p v-if="to === 'buyer'" class="mute">
        {{ data.to || "No mail address is known" }}, in {{ LANGUAGES.of(data.language) }}
      </p>
      <v-text-field
        v-else
        v-model="mailTo"
        v-first
        type="email"
        label="Mail address of the carrier"
        hint="It is offered again the next time"
        required
      />
      <h3>{{ data.subject }}</h3>
      <p class="letter" tabindex="0">{{ data.body }}</p>
    </template>
    <!-- Made once the mail is there, so that the cursor can stand on it: Enter sends what was read. -->
    <template #actions
      ><v-btn
        v-if="to === 'buyer' && data"
        v-first.button
        type="submit"
        :loading="busy"
        :disabled="!data.to"
        >Send it</v-btn
      ><v-btn v-else-if="data" type="submit" :loading="busy" :disabled="!mailTo.trim()"
        >Send it</v-btn
      ></template
    >
  </FormDialog>
</template>

<style scoped>
.letter {
  white-space: pre-line;
  max-height: 300px;
  overflow: auto;
  padding: 10px 14px;
  background: var(--soft);
}
</style>
