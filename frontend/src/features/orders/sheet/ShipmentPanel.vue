<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { mailLabels, askReturn } from "../queries";
import { type Schemas } from "../../../api/client";
import { day, kilograms, money, trackingWords } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { PrintBar, VoidDialog } from "../../buying";
import { markPrinted } from "../../papers";
import { ErrorNote } from "../../../shared/ui";
import TypedNumber from "./TypedNumber.vue";

const props = defineProps<{ shipment: Schemas["ShipmentOut"]; email: string }>();
const client = useQueryClient();
const { currency, may } = useMe();
const HEADS: Record<string, string> = {
  bought: "Label",
  buying: "Being bought",
  failed: "Not bought",
  void_asked: "Void asked",
  voided: "Voided",
  void_refused: "Label; its void was refused",
};
const stands = computed(() => ["bought", "void_refused"].includes(props.shipment.state));
const voiding = ref(false);
const mailing = ref(false);
const mailTo = ref("");
const mail = useMutation({
  mutationFn: () => mailLabels({ shipment_id: props.shipment.id, mail_to: mailTo.value }),
  onSuccess: () => (mailing.value = false),
});
const mark = useMutation({
  mutationFn: (printed: boolean) => markPrinted({ shipments: [props.shipment.id] }, printed),
  onSuccess: () => client.invalidateQueries({ queryKey: ["order"] }),
});
const back = useMutation({
  mutationFn: async (in_box: boolean) =>
    await askReturn({ shipment_id: props.shipment.id, in_box, reason: "" }),
  onSuccess: () => client.invalidateQueries({ queryKey: ["returns"] }),
});
const failure = computed(() => mail.error.value ?? mark.error.value ?? back.error.value);
const PAYERS: Record<string, string> = {
  account: ", on account",
  elsewhere: ", billed to somebody else’s account",
};
</script>

<template>
  <h2>{{ HEADS[shipment.state] }}</h2>
  <p v-if="shipment.failure" class="note bad">{{ shipment.failure }}</p>
  <ErrorNote :error="failure" />
  <p>
    {{ shipment.service_name }}, {{ money(shipment.price_minor, currency)
    }}{{ shipment.premium_minor ? ` and ${money(shipment.premium_minor, currency)} for cover` : ""
    }}{{ PAYERS[shipment.payer] ?? "" }}, leaves {{ day(shipment.ship_date) }}, arrives
    {{ day(shipment.arrives) }}
  </p>
  <p v-if="shipment.state === 'void_asked'" class="press">
    The refund is pending; the carrier should answer by {{ day(shipment.void_due_on) }}.
  </p>
  <p v-if="shipment.void_words" class="stop">{{ shipment.void_words }}</p>
  <template v-for="l in shipment.labels" :key="l.id">
    <p v-if="l.tracking_number">
      <span class="mono">{{ l.tracking_number }}</span>
      <span class="mute small"
        >{{ kilograms(l.gross_g) }}{{ l.printed_at ? ", printed" : "" }}</span
      >
    </p>
    <TypedNumber v-else-if="stands && may('shipper', 'packer')" :label="l" />
  </template>
  <template v-if="stands">
    <p>
      <b>{{ trackingWords(shipment.tracking_state) }}</b> ·
      <a class="link" :href="shipment.tracking_path" target="_blank">The buyer's tracking page</a>
    </p>
    <PrintBar :shipments="[shipment]" />
    <p class="more">
      <button
        v-if="may('shipper', 'packer')"
        class="link"
        type="button"
        @click="mark.mutate(!shipment.labels.every((l) => l.printed_at))"
      >
        {{
          shipment.labels.every((l) => l.printed_at) ? "Not printed after all" : "Mark as printed"
        }}
      </button>
      <button v-if="may('shipper')" class="link" type="button" @click="mailing = !mailing">
        Mail the label
      </button>
      <template v-if="may('shipper', 'care')">
        <button class="link" type="button" @click="back.mutate(true)">
          Label for the way back, in the box
        </button>
        <button v-if="email" class="link" type="button" @click="back.mutate(false)">
          … by mail to the buyer
        </button>
      </template>
      <button
        v-if="
          may('shipper') && shipment.state === 'bought' && shipment.tracking_state === 'announced'
        "
        class="link"
        type="button"
        @click="voiding = true"
      >
        Void
      </button>
    </p>
    <form v-if="mailing" class="more" @submit.prevent="mail.mutate()">
      <v-text-field
        v-model="mailTo"
        v-first
        type="email"
        label="To this mail address"
        required
      /><button class="link" type="submit">Send</button>
    </form>
    <p v-if="mail.data.value" class="fine small" role="status">The label is on its way by mail.</p>
    <p v-if="back.data.value" class="fine small" role="status">
      The label for the way back is being made; it stands under
      <RouterLink class="link" to="/returns">Returns</RouterLink>.
    </p>
  </template>
  <VoidDialog v-if="voiding" :shipments="[shipment]" @close="voiding = false" />
</template>

<style scoped>
p {
  margin: 2px 0 6px;
}
h2 {
  margin: 16px 0 8px;
}
.more {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
  align-items: center;
  margin-top: 8px;
}
</style>
