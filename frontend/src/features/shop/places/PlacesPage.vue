<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { type Schemas } from "../../../api/client";
import { country } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import AddressForm from "../../../shared/AddressForm.vue";
import { placesQuery, savePlace } from "../queries";
import { DataTable, FormDialog } from "../../../shared/ui";

const client = useQueryClient();
const { may } = useMe();
const { data: places, error } = useQuery(placesQuery);
type Place = Schemas["PlaceIO"];
const editing = ref<Place>();
const EMPTY: Place["address"] = {
  name: "",
  company: "",
  street: "",
  extra: "",
  city: "",
  region: "",
  postcode: "",
  country: "",
  phone: "",
  email: "",
};
function start(place?: Place): void {
  save.reset();
  editing.value = place
    ? { ...place, address: { ...place.address } }
    : {
        id: null,
        name: "",
        address: { ...EMPTY },
        pickup_spot: "",
        opening_hours: "",
        on_earth: "",
        is_default: false,
      };
}
const save = useMutation({
  mutationFn: async (place: Place) => await savePlace(place),
  onSuccess: () => {
    editing.value = undefined;
    void client.invalidateQueries();
  },
});
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Places</h1>
      <span class="mute">Addresses that parcels leave from</span><span class="grow" /><v-btn
        v-if="may()"
        @click="start()"
        >Add a place</v-btn
      >
    </div>
    <DataTable
      label="Places"
      :error="error"
      :columns="['Place', 'Address', 'Contact', 'Pick-up spot', 'Open', '']"
      :rows="places"
      :row-key="(p) => p.id ?? 0"
      waiting="Fetching the places…"
      none="No place yet. Without one no label can be bought: add the address that parcels leave from."
      ><template #row="{ row: p }">
        <td>
          <b>{{ p.name }}</b><br /><span class="small mute">{{
            p.is_default ? "default sender" : ""
          }}</span>
        </td>
        <td>
          {{ p.address.company }}<br />{{ p.address.street }}, {{ p.address.postcode }}
          {{ p.address.city }}, {{ country(p.address.country) }}
        </td>
        <td>
          {{ p.address.name }}<br /><span class="small mute">{{ p.address.phone }}</span>
        </td>
        <td>{{ p.pickup_spot }}</td>
        <td>{{ p.opening_hours }}</td>
        <td class="right">
          <button v-if="may()" class="link" type="button" @click="start(p)">Change</button>
        </td>
      </template></DataTable
    >
    <FormDialog
      v-if="editing"
      title="Place"
      :width="680"
      :error="save.error.value"
      @close="editing = undefined"
      @send="save.mutate(editing)"
    >
      <template #title>{{ editing.id ? `Change ${editing.name}` : "Add a place" }}</template>
      <v-text-field
        v-model="editing.name"
        v-first
        label="Name of the place"
        class="mb-3"
        required
      />
      <AddressForm v-model="editing.address" />
      <div class="form-grid mt-3">
        <v-text-field v-model="editing.pickup_spot" class="w3" label="Pick-up spot" />
        <v-text-field v-model="editing.opening_hours" class="w3" label="Opening hours" />
        <v-text-field
          v-model="editing.on_earth"
          class="w6"
          label="Latitude, longitude"
          hint="For how far drop-off points are: 40.6386, -8.6513"
        />
        <v-checkbox
          v-model="editing.is_default"
          class="w6"
          label="Parcels leave from here unless said otherwise"
        />
      </div>
      <template #actions
        ><v-btn type="submit" :loading="save.isPending.value">Save the place</v-btn></template
      >
    </FormDialog>
  </div>
</template>
