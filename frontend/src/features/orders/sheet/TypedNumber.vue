<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { type Schemas } from "../../../api/client";
import { ErrorNote } from "../../../shared/ui";
import { typeNumber } from "../queries";

/** A parcel that the carrier puts its own number on: typed, or scanned off it, once it is there. */
const props = defineProps<{ label: Schemas["LabelOut"] }>();
const client = useQueryClient();
const number = ref("");
const save = useMutation({
  mutationFn: () => typeNumber(props.label.id, number.value),
  onSuccess: () => client.invalidateQueries({ queryKey: ["order"] }),
});
</script>

<template>
  <ErrorNote :error="save.error.value" />
  <form class="typed" @submit.prevent="save.mutate()">
    <v-text-field
      v-model="number"
      :label="`The carrier's number of parcel ${label.parcel_no}`"
      required
    /><button class="link" type="submit">Keep it</button>
  </form>
</template>

<style scoped>
.typed {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 8px;
  align-items: center;
  margin: 6px 0;
}
</style>
