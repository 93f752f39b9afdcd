<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { words } from "../../../api/client";
import { count } from "../../../shared/format";
import { batchesQuery, startBatch, fillBatch } from "../../buying";

/** `told` is a function and no event: letting go takes this panel away, and what is taken away emits nothing any more. */
const props = defineProps<{ ids: number[]; told: (notice: string) => void }>();
const client = useQueryClient();
const { data: batches } = useQuery(batchesQuery(false, ""));
const open = computed(() => batches.value?.filter((b) => b.state === "filling") ?? []);
const over = ref(-1);
/** Orders let go above a batch lie in it from now on; what others have stays where it is, and is named. */
async function drop(id: number): Promise<void> {
  over.value = -1;
  try {
    const order_ids = [...props.ids];
    const filled = id
      ? await fillBatch(id, { order_ids, take_over: false })
      : await startBatch({
          name: "",
          order_ids,
          client_key: `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 10)}`,
        });
    for (const key of ["batch", "batches", "orders"])
      void client.invalidateQueries({ queryKey: [key] });
    const left = filled.left_out.length
      ? ` ${count(filled.left_out.length, "order")} left: ${filled.left_out[0]!.words}.`
      : "";
    props.told(`${count(filled.added, "order")} put into the batch.${left}`);
  } catch (error) {
    props.told(words(error));
  }
}
</script>

<template>
  <div class="drop panel" role="group" aria-label="Let go above a batch">
    <b>{{ count(ids.length, "order") }} into…</b>
    <!-- eslint-disable-next-line vuejs-accessibility/no-static-element-interactions -- dropping is a second way: "To a batch" of the selection takes the keyboard -->
    <div
      v-for="b in [...open, { id: 0, name: 'A new batch', waiting: 0 }]"
      :key="b.id"
      class="target"
      :class="{ over: over === b.id }"
      @dragover.prevent="over = b.id"
      @dragleave="over = -1"
      @drop.prevent="drop(b.id)"
    >
      {{ b.name }} <span v-if="b.id" class="mute small">{{ count(b.waiting, "order") }}</span>
    </div>
  </div>
</template>

<style scoped>
.drop {
  position: absolute;
  right: 18px;
  bottom: 74px;
  width: 240px;
  padding: 10px;
  z-index: 4;
  border-color: var(--mul);
}
.target {
  border: 1px dashed var(--mute);
  padding: 12px 10px;
  margin-top: 6px;
}
.target.over {
  background: var(--mul-soft);
  border-color: var(--mul);
}
</style>
