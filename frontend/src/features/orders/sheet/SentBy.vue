<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import type { Schemas } from "../../../api/client";
import AddressForm from "../../../shared/AddressForm.vue";
import { country } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { FormDialog, SelectField } from "../../../shared/ui";
import { placesQuery, savePlace } from "../../shop";
import { changeSender, useAfterOrders, type Sheet } from "../queries";

/** Who this order alone is sent by: the shop, another of its places, or an address that is typed. */
const props = defineProps<{ sheet: Sheet; editable: boolean }>();
const { may } = useMe();
const after = useAfterOrders();
const { data: places } = useQuery(placesQuery);
const shop = computed(() => places.value?.find((place) => place.is_default));
const typing = ref<Schemas["AddressIO"]>();
const placeName = ref("");
const asDefault = ref(false);
const others = computed(() => [
  { title: "another address", value: 0 },
  ...(places.value ?? [])
    .filter((place) => !place.is_default)
    .map((place) => ({ title: place.name, value: place.id ?? 0 })),
]);
const save = useMutation({
  mutationFn: async (sender: Schemas["AddressIO"] | null) => {
    await changeSender(props.sheet.row.id, sender);
    // The order is sent so whether or not the place can be saved: its name may be taken.
    if (sender && placeName.value.trim())
      await savePlace({
        name: placeName.value.trim(),
        address: sender,
        pickup_spot: "",
        opening_hours: "",
        on_earth: "",
        is_default: asDefault.value,
      });
  },
  onSuccess: () => (typing.value = undefined),
  onSettled: after,
});
function start(): void {
  placeName.value = "";
  asDefault.value = false;
  save.reset();
  const from = props.sheet.sender ?? shop.value?.address;
  if (from) typing.value = { ...from };
}
function take(id: number): void {
  const place = places.value?.find((one) => one.id === id);
  if (place) typing.value = { ...place.address };
}
</script>

<template>
  <h3>From</h3>
  <p v-if="sheet.sender">
    <b>{{ sheet.sender.company || sheet.sender.name }}</b><br />
    {{ sheet.sender.street }}, {{ sheet.sender.postcode }} {{ sheet.sender.city }},
    {{ country(sheet.sender.country) }}
    <span class="mute small">for this order alone</span>
  </p>
  <p v-else class="mute">{{ shop ? `${shop.name}, ${shop.address.city}` : "No place yet" }}</p>
  <template v-if="editable && shop">
    <button class="quiet tall" type="button" @click="start">Change the sender</button>
    <button v-if="sheet.sender" class="quiet tall" type="button" @click="save.mutate(null)">
      Send it from {{ shop.name }} again
    </button>
  </template>
  <FormDialog
    v-if="typing"
    title="Sender of this order"
    :width="680"
    :error="save.error.value"
    @close="typing = undefined"
    @send="save.mutate(typing)"
  >
    <p class="mute small">
      The label, the price and the day it arrives follow from here. Your saved places stay as they
      are.
    </p>
    <SelectField
      v-if="others.length > 1"
      class="mb-3"
      label="Take it from"
      :model-value="0"
      :items="others"
      @update:model-value="take(Number($event))"
    />
    <AddressForm v-model="typing" />
    <div v-if="may()" class="form-grid mt-3">
      <v-text-field
        v-model="placeName"
        class="w6"
        label="Also save as a place called"
        maxlength="120"
        hint="Empty: it is not saved"
      />
      <v-checkbox
        v-if="placeName.trim()"
        v-model="asDefault"
        class="w6"
        label="All parcels leave from there unless said otherwise"
      />
    </div>
    <template #actions
      ><v-btn type="submit" :loading="save.isPending.value">{{
        placeName.trim() ? "Save the sender and the place" : "Save for this order"
      }}</v-btn></template
    >
  </FormDialog>
</template>

<style scoped>
.tall {
  margin-right: 12px;
}
</style>
