<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { block, blockedQuery, unblock } from "./queries";
import { day } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DataTable, ErrorNote } from "../../../shared/ui";

/** Addresses to which nothing is sent any more, and why. */
const client = useQueryClient();
const { may } = useMe();
const { data, error } = useQuery(blockedQuery);
const address = ref("");
const WHY: Record<string, string> = {
  bounced: "mail to it came back",
  complained: "its owner complained",
  asked: "its owner wants no more",
  by_hand: "blocked by hand",
};
const again = () => client.invalidateQueries({ queryKey: ["messages"] });
const add = useMutation({
  mutationFn: () => block(address.value.trim()),
  onSuccess: () => {
    address.value = "";
    return again();
  },
});
const remove = useMutation({ mutationFn: unblock, onSuccess: again });
const { isPending: adding } = add;
</script>

<template>
  <form v-if="may('shipper', 'care')" class="add" @submit.prevent="add.mutate()">
    <v-text-field v-model="address" v-first label="A mail address or phone number" />
    <v-btn type="submit" variant="outlined" :loading="adding" :disabled="!address.trim()"
      >Send it nothing more</v-btn
    >
  </form>
  <ErrorNote :error="add.error.value ?? remove.error.value" />
  <DataTable
    label="Blocked addresses"
    :columns="['Address', 'Why', 'Since', '']"
    :rows="data"
    :row-key="(b) => b.id"
    :error="error"
    none="Nobody. An address lands here when mail to it comes back, or its owner asks for no more."
  >
    <template #row="{ row: b }">
      <td>{{ b.address }}</td>
      <td>{{ WHY[b.why] ?? b.why }}{{ b.words ? `: ${b.words}` : "" }}</td>
      <td>{{ day(b.created_at) }}</td>
      <td>
        <button
          v-if="may('shipper', 'care')"
          type="button"
          class="link"
          :aria-label="`Send again to ${b.address}`"
          @click="remove.mutate(b.id)"
        >
          Send again
        </button>
      </td>
    </template>
  </DataTable>
</template>

<style scoped>
.add {
  display: flex;
  gap: 12px;
  align-items: center;
  max-width: 560px;
  margin-bottom: 12px;
}
</style>
