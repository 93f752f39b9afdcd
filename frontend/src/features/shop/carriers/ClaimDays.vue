<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { type Schemas } from "../../../api/client";
import { ErrorNote } from "../../../shared/ui";
import { setClaimDays } from "../queries";

/** For how many days this carrier takes claims, from when a parcel was lost or came damaged. */
const props = defineProps<{ carrier: Schemas["CarrierOut"] }>();
const client = useQueryClient();
const days = ref(props.carrier.claim_days ? String(props.carrier.claim_days) : "");
const save = useMutation({
  mutationFn: () => setClaimDays(props.carrier.code, days.value ? Number(days.value) : null),
  onSuccess: () => client.invalidateQueries({ queryKey: ["carriers"] }),
});
const { isPending: saving, isSuccess: saved } = save;
</script>

<template>
  <ErrorNote :error="save.error.value" />
  <form class="ask" @submit.prevent="save.mutate()">
    <v-text-field
      v-model="days"
      type="number"
      min="1"
      max="365"
      label="Takes claims for so many days"
      placeholder="30 lost, 7 damaged"
      persistent-placeholder
    />
    <v-btn type="submit" variant="outlined" :loading="saving">Keep it</v-btn>
    <span v-if="saved" role="status" class="fine small">✓ Kept</span>
  </form>
</template>

<style scoped>
.ask {
  display: grid;
  grid-template-columns: 260px auto 1fr;
  gap: 8px;
  align-items: center;
  margin: 8px 0;
}
</style>
