<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { type Schemas } from "../../../api/client";
import { FormDialog, SelectField } from "../../../shared/ui";
import { connectStore } from "../queries";

/** A store, or an adapter in front of one, that speaks the open channel protocol. */
const emit = defineEmits<{ close: []; connected: [string] }>();
const client = useQueryClient();
const address = ref("");
const key = ref("");
const name = ref("");
const speaks = ref<NonNullable<Schemas["ConnectStoreIn"]["speaks"]>>("protocol");
const LANGUAGES = [
  { value: "protocol" as const, title: "The open channel protocol" },
  { value: "larkspur" as const, title: "Larkspur web shop" },
  { value: "tallyfair" as const, title: "Tallyfair" },
  { value: "ovenbird" as const, title: "Ovenbird Bazaar" },
];
const connect = useMutation({
  mutationFn: () =>
    connectStore({
      address: address.value,
      key: key.value,
      name: name.value,
      speaks: speaks.value,
    }),
  onSuccess: (made) => {
    void client.invalidateQueries();
    emit("connected", made.code);
  },
});
const { isPending: busy } = connect;
</script>

<template>
  <FormDialog
    title="Connect a store"
    :error="connect.error.value"
    @close="emit('close')"
    @send="connect.mutate()"
  >
    <v-text-field
      v-model="address"
      v-first
      label="Address"
      placeholder="https://"
      class="mb-3"
      required
    />
    <SelectField v-model="speaks" label="What it speaks" above :items="LANGUAGES" class="mb-3" />
    <v-text-field
      v-if="speaks !== 'protocol'"
      v-model="name"
      label="Its name with us"
      class="mb-3"
      required
    />
    <v-text-field
      v-else
      v-model="key"
      label="Key that it gave you"
      type="password"
      autocomplete="off"
    />
    <p v-if="speaks !== 'protocol'" class="mute small">
      It asks for your consent before anything is pulled: its row in the list leads there.
    </p>
    <p v-else class="mute small">
      For a store or marketplace, or an adapter in front of one, that speaks the open channel
      protocol. It says what its states mean; you can change that before anything is pulled.
    </p>
    <template #actions><v-btn type="submit" :loading="busy">Connect it</v-btn></template>
  </FormDialog>
</template>
