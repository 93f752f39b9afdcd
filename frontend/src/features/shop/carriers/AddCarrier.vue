<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { type Schemas } from "../../../api/client";
import { FormDialog } from "../../../shared/ui";
import { addCarrier, connectCarrier } from "../queries";
import TypedPrices from "./TypedPrices.vue";

/** A carrier that is known by its price list alone: brought as a file, or typed. */
type Way = "file" | "typed" | "protocol";
const WAYS: [Way, string][] = [
  ["file", "Its price list as a file"],
  ["typed", "Type its prices"],
  ["protocol", "It is reached at an address"],
];
const emit = defineEmits<{ close: []; added: [string] }>();
const client = useQueryClient();
const name = ref("");
const account = ref("");
const way = ref<Way>("file");
const address = ref("");
const key = ref("");
const file = ref<File>();
const typed = ref<InstanceType<typeof TypedPrices>>();
const add = useMutation({
  mutationFn: async (): Promise<Schemas["CarrierOut"]> => {
    if (way.value !== "protocol")
      return addCarrier(name.value, account.value, file.value ?? typed.value!.file());
    const body = { address: address.value, key: key.value, account: account.value };
    return (await connectCarrier({ ...body, payer: "account" })).carrier;
  },
  onSuccess: (made) => {
    void client.invalidateQueries();
    emit("added", made.code);
  },
});
const { isPending: busy } = add;
function take(event: Event): void {
  file.value = (event.target as HTMLInputElement).files?.[0];
  add.reset();
}
function choose(wanted: Way): void {
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
      <v-text-field
        v-if="way !== 'protocol'"
        v-model="name"
        v-first
        label="Name of the carrier"
        required
      />
      <v-text-field
        v-else
        v-model="address"
        v-first
        label="Address"
        placeholder="https://"
        required
      />
      <v-text-field v-model="account" label="Your customer number with it" />
    </div>
    <p class="ways">
      <button
        v-for="[code, words] in WAYS"
        :key="code"
        type="button"
        class="chip"
        :aria-pressed="way === code"
        @click="choose(code)"
      >
        {{ words }}
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
    <TypedPrices v-else-if="way === 'typed'" ref="typed" />
    <template v-else>
      <v-text-field v-model="key" label="Key that it gave you" type="password" autocomplete="off" />
      <p class="mute small">
        For a carrier, or an adapter in front of one, that speaks the open carrier protocol: it says
        who it is and offers its services and prices. Its labels are bought from it.
      </p>
    </template>
    <template #actions><v-btn type="submit" :loading="busy">Add the carrier</v-btn></template>
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
