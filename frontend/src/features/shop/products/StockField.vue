<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { countPieces } from "../queries";
import { type Schemas } from "../../../api/client";
import { dayAndClock, number } from "../../../shared/format";
import { useMe } from "../../../shared/session";

/** What was counted on the shelf, as it is typed; beside it what is left to sell of the count before. */
const typed = defineModel<string>({ required: true });
const props = defineProps<{ product: Schemas["ProductIO"] }>();
const emit = defineEmits<{ forgotten: [] }>();

const client = useQueryClient();
const { zone } = useMe();
const forget = useMutation({
  mutationFn: async () => countPieces({ counted: { [props.product.sku]: null } }),
  onSuccess: () => {
    emit("forgotten");
    void client.invalidateQueries();
  },
});
</script>

<template>
  <v-text-field
    v-model="typed"
    class="w3"
    label="Counted on the shelf"
    suffix="pieces"
    inputmode="numeric"
    hint="with what waits there to be packed"
    persistent-hint
  />
  <p class="w3 mute small">
    <template v-if="product.stock_counted_at && product.in_stock !== null"
      >{{ number(product.in_stock) }} left to sell. Counted
      {{ dayAndClock(product.stock_counted_at, zone) }}; orders since are taken off.
      <button class="link" type="button" @click="forget.mutate()">Count it no more</button>
    </template>
    <template v-else>Not counted: channels are told nothing of it.</template>
  </p>
</template>
