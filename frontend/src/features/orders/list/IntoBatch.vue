<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { type Schemas } from "../../../api/client";
import { count } from "../../../shared/format";
import { useSelection } from "../../../shared/selection";
import { batchesQuery, startBatch, fillBatch } from "../../buying";
import type { PickedOrder } from "../queries";
import { FormDialog } from "../../../shared/ui";

const props = defineProps<{ rows: PickedOrder[] }>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const selection = useSelection();
const { data: batches } = useQuery(batchesQuery(false, ""));
const open = computed(() => batches.value?.filter((b) => b.state === "filling") ?? []);
const name = ref("");
const ids = computed(() => props.rows.map((r) => r.id));
const put = useMutation({
  mutationFn: async (to: { id?: number; takeOver?: boolean }): Promise<Schemas["FilledOut"]> =>
    to.id
      ? await fillBatch(to.id, { order_ids: ids.value, take_over: to.takeOver ?? false })
      : await startBatch({
          name: name.value,
          order_ids: ids.value,
          client_key: `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 10)}`,
        }),
  onSuccess: (filled) => {
    for (const key of ["batch", "batches", "orders"])
      void client.invalidateQueries({ queryKey: [key] });
    if (!filled.left_out.length) {
      selection.clear();
      emit("close");
    }
  },
});
const left = computed(
  () =>
    put.data.value?.left_out.map(
      (l) => `${props.rows.find((r) => r.id === l.order_id)?.number} ${l.words}`,
    ) ?? [],
);
</script>

<template>
  <FormDialog
    title="Put into a batch"
    :width="520"
    :closes="left.length ? 'Leave them' : undefined"
    :error="put.error.value"
    @close="emit('close')"
    @send="put.mutate({})"
    ><template #title>Put {{ count(rows.length, "order") }} into a batch</template>
    <p v-if="left.length" class="note" role="status">
      {{ put.data.value?.added }} put in. Left where they are: {{ left.join("; ") }}.
      <button
        class="link"
        type="button"
        @click="put.mutate({ id: put.data.value!.batch_id, takeOver: true })"
      >
        Take them over
      </button>
    </p>
    <ul v-if="open.length">
      <li v-for="b in open" :key="b.id">
        <button class="link" type="button" @click="put.mutate({ id: b.id })">
          {{ b.name }}
        </button>
        <span class="mute small">{{ count(b.waiting, "order") }}, {{ b.person }}</span>
      </li>
    </ul>
    <p v-else class="mute">No batch is being filled yet.</p>

    <v-text-field v-model="name" v-first label="A new batch, called" maxlength="80" /><template
      #actions
      ><v-btn type="submit" :loading="put.isPending.value">Start it</v-btn></template
    ></FormDialog
  >
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0 0 12px;
  padding: 0;
}
</style>
