<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import type { Schemas } from "../../api/client";
import { day, dayAndClock } from "../../shared/format";
import { useMe } from "../../shared/session";
import { CheckField, DataTable, ErrorNote, FormDialog, SelectField } from "../../shared/ui";
import CopyLine from "./CopyLine.vue";
import { changeKey, keysQuery, makeKey, revokeKey } from "./queries";
import { ROLES, roleName } from "./roles";

const client = useQueryClient();
const { zone } = useMe();
const { data: keys, error } = useQuery(keysQuery);
const again = () => client.invalidateQueries({ queryKey: ["keys"] });
const LASTS = [
  { value: 30, title: "30 days" },
  { value: 365, title: "a year" },
  { value: null, title: "no end" },
];
const OPENS: { value: Schemas["KeyIn"]["scope"]; title: string }[] = [
  { value: "all", title: "everything its role may do" },
  { value: "orders", title: "orders alone" },
  { value: "labels", title: "labels alone" },
  { value: "handover", title: "bench and departures alone" },
  { value: "following", title: "tracking, messages and returns alone" },
  { value: "checkout", title: "a store's checkout: asks prices" },
];
const opens = (scope: string) => OPENS.find((one) => one.value === scope)?.title ?? scope;
const making = ref<{
  name: string;
  role: Schemas["KeyIn"]["role"];
  reads_only: boolean;
  scope: Schemas["KeyIn"]["scope"];
  per_minute: number;
  days: number | null;
}>();
const made = ref<{ name: string; key: string }>();
const make = useMutation({
  mutationFn: () => makeKey(making.value!),
  onSuccess: (fresh) => {
    made.value = { name: making.value!.name, key: fresh.key };
    making.value = undefined;
    void again();
  },
});
const change = useMutation({
  mutationFn: (key: { id: number; name: string }) => changeKey(key.id),
  onSuccess: (fresh, key) => {
    made.value = { name: `${key.name} (the one before it works for another day)`, key: fresh.key };
    void again();
  },
});
const revoke = useMutation({ mutationFn: revokeKey, onSuccess: again });
</script>

<template>
  <section aria-label="API keys">
    <div class="head">
      <h2>API keys</h2>
      <span class="mute">For scripts and stores. A key ends with the person who made it</span
      ><span class="grow" /><v-btn
        variant="outlined"
        @click="
          making = {
            name: '',
            role: 'shipper',
            reads_only: false,
            scope: 'all',
            per_minute: 3000,
            days: 365,
          }
        "
        >Make a key</v-btn
      >
    </div>
    <ErrorNote :error="revoke.error.value ?? change.error.value" />
    <div v-if="made" class="note" role="status">
      The key for {{ made.name }}, shown this once only:
      <CopyLine label="API key" :text="made.key" />
      <button class="link" type="button" @click="made = undefined">Close</button>
    </div>
    <DataTable
      label="API keys"
      :error="error"
      :columns="['For', 'May', 'Made by', 'Made', 'Ends', 'Last used', '']"
      :rows="keys"
      :row-key="(k) => k.id"
      :row-class="(k) => ({ mute: !k.works })"
      none="No key yet."
    >
      <template #row="{ row: k }">
        <td>
          <b>{{ k.name }}</b>
        </td>
        <td>
          {{ k.scope === "checkout" ? "Ask at the checkout" : roleName(k.role)
          }}{{ k.scope === "all" || k.scope === "checkout" ? "" : `, ${opens(k.scope)}`
          }}{{ k.reads_only && k.scope !== "checkout" ? ", reading only" : "" }}
          <span class="mute nowrap">{{ k.per_minute }} a minute</span>
        </td>
        <td>{{ k.person }}</td>
        <td class="nowrap">{{ day(k.made_at) }}</td>
        <td class="nowrap">
          {{ k.works ? (k.expires_at ? day(k.expires_at) : "no end") : "works no more" }}
        </td>
        <td class="nowrap">
          {{ k.used_at ? dayAndClock(k.used_at, zone) : "never"
          }}<span v-if="k.used_from" class="mute small"> from {{ k.used_from }}</span>
        </td>
        <td class="right">
          <button v-if="k.works" class="link" type="button" @click="change.mutate(k)">
            Change for another
          </button>
          <button v-if="k.works" class="link" type="button" @click="revoke.mutate(k.id)">
            Revoke
          </button>
        </td>
      </template>
    </DataTable>
    <FormDialog
      v-if="making"
      title="Make an API key"
      :error="make.error.value"
      @close="making = undefined"
      @send="make.mutate()"
    >
      <div class="form-grid">
        <v-text-field v-model="making.name" v-first class="w6" label="What it is for" required />
        <SelectField v-model="making.role" class="w3" label="Role" above :items="ROLES" />
        <SelectField
          class="w3"
          label="Opens"
          above
          :model-value="making.scope"
          :items="OPENS"
          @update:model-value="
            making = {
              ...making,
              scope: $event as Schemas['KeyIn']['scope'],
              reads_only: $event === 'checkout',
            }
          "
        />
        <SelectField v-model="making.days" class="w3" label="Works for" above :items="LASTS" />
        <v-text-field
          v-model.number="making.per_minute"
          class="w3"
          type="number"
          min="1"
          max="100000"
          label="Requests a minute"
        />
      </div>
      <CheckField
        v-if="making.scope !== 'checkout'"
        v-model="making.reads_only"
        label="Reading only"
      />
      <p class="mute small">
        It can never do more than you can, and it opens no logins and no other keys.
      </p>
      <template #actions
        ><v-btn type="submit" :loading="make.isPending.value">Make the key</v-btn></template
      >
    </FormDialog>
  </section>
</template>

<style scoped>
section {
  margin-top: 26px;
}
</style>
