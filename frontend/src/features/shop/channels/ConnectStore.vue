<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { FormDialog } from "../../../shared/ui";
import { connectStore } from "../queries";

/** A store, or an adapter in front of one, that speaks the open channel protocol. */
const emit = defineEmits<{ close: []; connected: [string] }>();
const client = useQueryClient();
const address = ref("");
const key = ref("");
const connect = useMutation({
  mutationFn: () => connectStore({ address: address.value, key: key.value }),
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
      label="Address"
      placeholder="https://"
      class="mb-3"
      required
      autofocus
    />
    <v-text-field v-model="key" label="Key that it gave you" type="password" autocomplete="off" />
    <p class="mute small">
      For a store or marketplace, or an adapter in front of one, that speaks the open channel
      protocol. It says what its states mean; you can change that before anything is pulled.
    </p>
    <template #actions><v-btn type="submit" :loading="busy">Connect it</v-btn></template>
  </FormDialog>
</template>
