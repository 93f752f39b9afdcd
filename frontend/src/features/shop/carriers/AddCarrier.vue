<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { FormDialog } from "../../../shared/ui";
import { addCarrier } from "../queries";
import TypedPrices from "./TypedPrices.vue";

/** A carrier that is known by its price list alone: brought as a file, or typed. */
const emit = defineEmits<{ close: []; added: [string] }>();
const client = useQueryClient();
const name = ref("");
const account = ref("");
const way = ref<"file" | "typed">("file");
const file = ref<File>();
const typed = ref<InstanceType<typeof TypedPrices>>();
const add = useMutation({
  mutationFn: () => addCarrier(name.value, account.value, file.value ?? typed.value!.file()),
  onSuccess: (made) => {
    void client.invalidateQueries();
    emit("added", made.code);
  },
});
function take(event: Event): void {
  file.value = (event.target as HTMLInputElement).files?.[0];
  add.reset();
}
function choose(wanted: "file" | "typed"): void {
  way.value = wanted;
  file.value = undefined;
  add.reset();
}
</script>

<template>
  <FormDialog
    title="Add a carrier"
    :width="760"
    :error="add.error.value"
    @close="emit('close')"
    @send="add.mutate()"
  >
    <div class="names">
      <v-text-field v-model="name" label="Name of the carrier" required autofocus />
      <v-text-field v-model="account" label="Your customer number with it" />
    </div>
    <p class="ways">
      <button type="button" class="chip" :aria-pressed="way === 'file'" @click="choose('file')">
        Its price list as a file
      </button>
      <button type="button" class="chip" :aria-pressed="way === 'typed'" @click="choose('typed')">
        Type its prices
      </button>
    </p>
    <template v-if="way === 'file'">
      <input
        class="file"
        type="file"
        accept=".xlsx,.csv,.ods,.json"
        aria-label="Price list"
        required
        @change="take"
      />
      <p class="mute small">
        A table of zones and weight steps (<a class="link" href="/api/rate-card/example?kind=xlsx"
          >example to fill in</a
        >), or a whole rate card with surcharges and seasons. Its labels are your own, its bill
        comes by account.
      </p>
    </template>
    <TypedPrices v-else ref="typed" />
    <template #actions
      ><v-btn type="submit" :loading="add.isPending.value">Add the carrier</v-btn></template
    >
  </FormDialog>
</template>

<style scoped>
.names {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}
.ways {
  display: flex;
  gap: 6px;
  margin: 12px 0;
}
.file {
  font: inherit;
  color: var(--ink);
}
</style>
