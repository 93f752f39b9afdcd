<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { refDebounced } from "@vueuse/core";
import { computed, ref } from "vue";
import { bringContacts, saveContact, removeContact, contactsQuery } from "../queries";
import { type Schemas } from "../../../api/client";
import AddressForm from "../../../shared/AddressForm.vue";
import { count, country } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DataTable, ErrorNote, FileLink, FormDialog } from "../../../shared/ui";

const client = useQueryClient();
const { may } = useMe();
const text = ref("");
const settled = refDebounced(text, 200);
const search = computed(() => settled.value.trim());
const { data: contacts, error } = useQuery(computed(() => contactsQuery(search.value)));
const editing = ref<Schemas["ContactIO"]>();
function blank(): Schemas["ContactIO"] {
  return {
    code: "",
    home: true,
    address: {
      name: "",
      company: "",
      street: "",
      extra: "",
      city: "",
      region: "",
      postcode: "",
      country: "PT",
      phone: "",
      email: "",
    },
  };
}
const save = useMutation({
  mutationFn: () => saveContact(editing.value!),
  onSuccess: () => {
    editing.value = undefined;
    void client.invalidateQueries({ queryKey: ["contacts"] });
  },
});
const remove = useMutation({
  mutationFn: async (id: number) => removeContact(id),
  onSuccess: () => client.invalidateQueries({ queryKey: ["contacts"] }),
});
const file = useMutation({
  mutationFn: bringContacts,
  onSuccess: () => client.invalidateQueries({ queryKey: ["contacts"] }),
});
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Address book</h1>
      <span class="mute">Found by name, company or a short code</span><span class="grow" />
      <input
        v-model="text"
        class="search"
        type="search"
        placeholder="Name, company, code"
        aria-label="Search contacts"
      />
      <template v-if="may('shipper', 'care')">
        <a class="link" href="/api/contacts/file?kind=csv">CSV</a
        ><a class="link" href="/api/contacts/file?kind=vcf">vCard</a>
        <FileLink accept=".csv,.xlsx,.vcf" @file="file.mutate($event)">Bring in a file</FileLink>
        <v-btn @click="editing = blank()">Add a contact</v-btn>
      </template>
    </div>
    <ErrorNote :error="file.error.value" />
    <p v-if="file.data.value" class="note" role="status">
      {{ count(file.data.value.made, "new contact") }}, {{ file.data.value.known }} known already.
      {{ file.data.value.odd.slice(0, 4).join(" ") }}
    </p>
    <DataTable
      label="Contacts"
      :error="error"
      :columns="['Code', 'Name', 'Company', 'Address', 'Reach', '']"
      :rows="contacts"
      :row-key="(c) => c.id ?? 0"
      waiting="Fetching the contacts…"
      ><template #empty>{{
        search
          ? "Nobody is called like that."
          : "Nobody yet. Add a contact, or bring in a CSV or vCard file."
      }}</template
      ><template #row="{ row: c }">
        <td class="mono">{{ c.code }}</td>
        <td>
          <b>{{ c.address.name }}</b>
        </td>
        <td>{{ c.address.company }}</td>
        <td>
          {{
            [
              c.address.street,
              `${c.address.postcode} ${c.address.city}`,
              country(c.address.country ?? ""),
            ]
              .filter((p) => p?.trim())
              .join(", ")
          }}
        </td>
        <td class="small">{{ c.address.phone }} {{ c.address.email }}</td>
        <td class="right">
          <RouterLink v-if="may('shipper')" class="link" :to="`/orders/new?contact=${c.id}`"
            >Ship to</RouterLink
          ><template v-if="may('shipper', 'care')"
            ><button
              class="link"
              type="button"
              @click="editing = { ...c, address: { ...c.address } }"
            >
              Change</button
            ><button class="link" type="button" @click="remove.mutate(c.id!)">
              Remove
            </button></template
          >
        </td>
      </template></DataTable
    >
    <FormDialog
      v-if="editing"
      title="Contact"
      :width="640"
      :error="save.error.value"
      @close="editing = undefined"
      @send="save.mutate()"
    >
      <template #title>{{ editing.id ? "Change a contact" : "Add a contact" }}</template>
      <v-text-field
        v-model="editing.code"
        class="mb-3"
        label="Short code"
        maxlength="30"
      /><AddressForm v-model="editing.address" v-model:home="editing.home" />
      <template #actions
        ><v-btn type="submit" :loading="save.isPending.value">Save the contact</v-btn></template
      >
    </FormDialog>
  </div>
</template>

<style scoped>
.search {
  font: inherit;
  border: 1px solid var(--line);
  background: var(--sheet);
  color: var(--ink);
  border-radius: 4px;
  padding: 4px 10px;
  width: 190px;
}
</style>
