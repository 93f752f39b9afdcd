<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { cancelWaiting } from "./queries";
import { count, money } from "../../shared/format";
import { useMe } from "../../shared/session";
import PrintBar from "./PrintBar.vue";
import type { Batch } from "./queries";
import VoidDialog from "./VoidDialog.vue";
import { ErrorNote } from "../../shared/ui";

const props = defineProps<{ batch: Batch }>();
const emit = defineEmits<{ retry: [orderIds: number[]] }>();
const client = useQueryClient();
const { currency, may } = useMe();
const bought = computed(() => props.batch.shipments.filter((s) => s.state === "bought"));
/** The newest try of each order: a failure that was tried again is not asked about twice. */
const newest = computed(() => new Map(props.batch.shipments.map((s) => [s.order_id, s])));
const failed = computed(() => [...newest.value.values()].filter((s) => s.state === "failed"));
const cancel = useMutation({
  mutationFn: () => cancelWaiting(props.batch.id),
  onSuccess: () => client.invalidateQueries({ queryKey: ["batch", props.batch.id] }),
});
/** By id, so that what happens to it meanwhile, on a printer say, is seen in the question. */
const voidingId = ref(0);
const voiding = computed(() => props.batch.shipments.filter((s) => s.id === voidingId.value));
const copied = ref("");
async function copy(text: string): Promise<void> {
  await navigator.clipboard?.writeText(text).catch(() => undefined);
  copied.value = text;
}
const STATES: Record<string, string> = {
  void_asked: "Void asked, refund pending",
  voided: "Voided, refunded",
  void_refused: "Void refused by the carrier",
};
</script>

<template>
  <template v-if="batch.buying">
    <v-progress-linear
      :model-value="(100 * (batch.shipments.length - batch.buying)) / batch.shipments.length"
      color="primary"
      aria-label="Bought so far"
    />
    <p class="mute small line">
      You can leave this: it goes on by itself.
      <button
        v-if="batch.not_begun && may('shipper')"
        class="link"
        type="button"
        @click="cancel.mutate()"
      >
        Cancel {{ batch.not_begun }} that no carrier was asked for yet
      </button>
    </p>
  </template>
  <ErrorNote :error="cancel.error.value" />
  <p v-if="failed.length && !batch.buying" class="note bad" role="status">
    {{ count(failed.length, "label") }} could not be bought; nothing was charged for
    {{ failed.length === 1 ? "it" : "them" }}.
    <button
      v-if="may('shipper')"
      class="link"
      type="button"
      @click="
        emit(
          'retry',
          failed.map((s) => s.order_id),
        )
      "
    >
      Try {{ failed.length === 1 ? "it" : "them" }} again
    </button>
  </p>
  <PrintBar v-if="bought.length" :shipments="bought" :batch="batch.id" class="line" />
  <table class="plain-table">
    <thead>
      <tr>
        <th>Order</th>
        <th>Service</th>
        <th>Result</th>
        <th></th>
        <th class="right">Price</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="s in batch.shipments" :key="s.id">
        <td class="mono">
          <RouterLink class="plain" :to="`/orders/${s.order_id}?view=all`">{{
            s.order_number
          }}</RouterLink>
        </td>
        <td>{{ s.service_name }}</td>
        <td>
          <span v-if="s.state === 'buying'" class="press">{{
            s.begun ? "Asking the carrier…" : "Waiting its turn"
          }}</span>
          <span v-else-if="s.state === 'failed'" class="snag">{{ s.failure }}</span>
          <template v-else>
            <RouterLink
              v-if="s.changed"
              class="snag stops"
              :to="`/orders/${s.order_id}?view=snags&fix=1`"
              >{{ s.changed }}</RouterLink
            >
            <button
              v-for="l in s.labels"
              :key="l.id"
              class="quiet mono"
              type="button"
              :title="copied === l.tracking_number ? 'Copied' : 'Copy'"
              @click="copy(l.tracking_number ?? '')"
            >
              {{ l.tracking_number }}{{ copied === l.tracking_number ? " copied" : "" }}
            </button>
          </template>
        </td>
        <td class="small" :class="s.state === 'void_refused' ? 'stop' : 'mute'">
          {{
            STATES[s.state] ??
            (s.labels.every((l) => l.printed_at) && s.state === "bought" ? "printed" : "")
          }}
        </td>
        <td class="right">
          {{ ["bought", "void_refused"].includes(s.state) ? money(s.price_minor, currency) : "–" }}
        </td>
        <td class="right">
          <button
            v-if="s.state === 'bought' && may('shipper')"
            class="link"
            type="button"
            :aria-label="`Void ${s.order_number}`"
            @click="voidingId = s.id"
          >
            Void
          </button>
        </td>
      </tr>
    </tbody>
  </table>
  <VoidDialog v-if="voiding.length" :shipments="voiding" @close="voidingId = 0" />
</template>

<style scoped>
.line {
  margin: 8px 0;
}
.quiet {
  margin-right: 10px;
  font-size: 12.5px;
  min-height: 24px;
}
.plain {
  color: inherit;
  white-space: nowrap;
}
</style>
