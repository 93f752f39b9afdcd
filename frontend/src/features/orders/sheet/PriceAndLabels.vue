<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed } from "vue";
import { useMe } from "../../../shared/session";
import { CompareServices, compareQuery } from "../../rates";
import { askPrices, orderQuery, type Hand, type Sheet } from "../queries";
import { OrderPhotos } from "../../bench";
import { OrderStory } from "../../follow";
import ShipmentPanel from "./ShipmentPanel.vue";

/** What every service would cost while it can still be chosen; what was bought, once it is. */
const props = defineProps<{ sheet: Sheet; editable: boolean }>();
const emit = defineEmits<{ set: [hand: Hand]; extra: [code: string] }>();
const client = useQueryClient();
const { currency, me } = useMe();
const row = computed(() => props.sheet.row);
const { data: compared } = useQuery(
  computed(() => compareQuery(row.value.state === "open" ? row.value.id : 0)),
);
/** A service by itself, or with the box in which its price was looked at; a carrier's own packaging comes by itself. */
function choose(service: string, box: string): void {
  if (props.editable)
    emit("set", box && box !== "carrier" ? { service, packaging: box } : { service });
}
const ask = useMutation({
  mutationFn: () => askPrices(row.value.id),
  onSettled: () => client.invalidateQueries({ queryKey: orderQuery(row.value.id).queryKey }),
});
const travels = computed(() =>
  props.sheet.shipments.some(
    (s) => s.state === "bought" && s.tracking_state !== "announced" && s.labels.length,
  ),
);
const hindrances = computed(
  () =>
    row.value.snags.map((s) => s.words.charAt(0).toLowerCase() + s.words.slice(1)).join("; ") ||
    "there is nothing to send",
);
</script>

<template>
  <section aria-label="Price against arrival">
    <template v-if="row.state === 'open'">
      <h2>Price against arrival</h2>
      <CompareServices
        v-if="compared?.services.length"
        :compared="compared"
        :currency="currency"
        :editable="editable"
        :asking="ask.isPending.value"
        :failures="ask.data.value?.failures ?? {}"
        @choose="choose"
        @extra="emit('extra', $event)"
        @ask="ask.mutate()"
      />
      <p v-else-if="compared" class="mute">
        No service can be asked yet: {{ hindrances }}. Fix it and every service stands here with its
        price and day.
      </p>
      <p v-else class="mute">Asking every service for its price…</p>
    </template>
    <!-- Once it travels the question is where it is; before, it is the label. -->
    <OrderStory v-if="travels" :order-id="sheet.row.id" />
    <ShipmentPanel
      v-for="s in sheet.shipments"
      :key="s.id"
      :shipment="s"
      :email="sheet.address.email ?? ''"
    />
    <OrderStory v-if="sheet.shipments.length && !travels" :order-id="sheet.row.id" />
    <OrderPhotos v-if="sheet.shipments.length" :order-id="sheet.row.id" />
    <a
      v-if="me?.standins_url && sheet.shipments.length"
      class="link"
      :href="`${me.standins_url}/mail`"
      target="_blank"
      rel="noopener"
      >Mails</a
    >
  </section>
</template>
