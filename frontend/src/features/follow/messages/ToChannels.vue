<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { tellAgain, writeBacksQuery } from "./queries";
import { count, dayAndClock } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DataTable, ErrorNote } from "../../../shared/ui";

/** What channels are told of their orders: what did not get through first, with what stands in its way. */
const client = useQueryClient();
const { zone, may } = useMe();
const every = ref(false);
const { data, error } = useQuery(computed(() => writeBacksQuery(!every.value)));
const again = useMutation({
  mutationFn: tellAgain,
  onSuccess: () => client.invalidateQueries({ queryKey: ["messages", "channels"] }),
});
</script>

<template>
  <p>
    <button type="button" class="chip" :aria-pressed="!every" @click="every = false">
      Did not get through
    </button>
    <button type="button" class="chip" :aria-pressed="every" @click="every = true">
      All of them
    </button>
  </p>
  <ErrorNote :error="again.error.value" />
  <DataTable
    label="What channels are told"
    :columns="['Order', 'Channel', 'What', 'Label of', 'What became of it', '']"
    :rows="data"
    :row-key="(w) => w.id"
    :error="error"
    :none="
      every
        ? 'Nothing was told yet. What a channel is told is set where it is set up.'
        : 'Everything that channels were to be told has got through.'
    "
  >
    <template #row="{ row: w }">
      <td>
        <RouterLink class="plain mono" :to="`/orders/${w.order_id}?view=all`">{{
          w.order_number
        }}</RouterLink>
      </td>
      <td>{{ w.channel }}</td>
      <td>{{ w.what }}</td>
      <td class="nowrap">{{ dayAndClock(w.sent_at, zone) }}</td>
      <td :class="{ press: !w.done_at && w.attempts }">
        <template v-if="w.done_at">✓ told {{ dayAndClock(w.done_at, zone) }}</template>
        <template v-else-if="w.attempts"
          >tried {{ count(w.attempts, "time") }}: {{ w.why }}; again
          {{ dayAndClock(w.next_at, zone) }}</template
        >
        <template v-else>○ waits</template>
      </td>
      <td>
        <button
          v-if="!w.done_at && may('shipper', 'care')"
          type="button"
          class="link"
          @click="again.mutate(w.id)"
        >
          Tell it now
        </button>
      </td>
    </template>
  </DataTable>
</template>

<style scoped>
p {
  display: flex;
  gap: 6px;
  margin: 0 0 12px;
}
</style>
