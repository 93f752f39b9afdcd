<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { type Schemas } from "../../api/client";
import { count } from "../../shared/format";
import { ErrorNote } from "../../shared/ui";
import { addressOf, markPrinted, type Meant, printingQuery } from "../papers";
import { type Shipment, sendToPrinter } from "./queries";

const props = defineProps<{ shipments: Shipment[]; batch?: number }>();
const client = useQueryClient();
const { data: setup } = useQuery(printingQuery);
const sequence = ref<"selected" | "shelf" | "carrier">("selected");
const SEQUENCES = [
  { title: "as listed", value: "selected" },
  { title: "along the shelves", value: "shelf" },
  { title: "by carrier", value: "carrier" },
];
const meant = computed<Meant>(() =>
  props.batch ? { batch: props.batch } : { shipments: props.shipments.map((s) => s.id) },
);
const address = (path: string, more: Record<string, string> = {}) =>
  addressOf(path, meant.value, more);
/** A file that was opened prints nothing by itself: whoever saw the paper says so, here. */
const opened = ref(false);
const unprinted = computed(() =>
  props.shipments.reduce((n, s) => n + s.labels.filter((l) => !l.printed_at).length, 0),
);
const marked = useMutation({
  mutationFn: () => markPrinted(meant.value),
  onSuccess: () => {
    opened.value = false;
    refresh();
  },
});
function refresh(): void {
  for (const key of ["batch", "order", "prints", "today"])
    void client.invalidateQueries({ queryKey: [key] });
}
/** How many of them cross a customs border; their papers go to their own printer with the labels. */
const crossing = computed(() => props.shipments.filter((s) => s.crosses_border).length);
const labels = computed(() => props.shipments.reduce((n, s) => n + s.labels.length, 0));
const prefer = (kind: string) => setup.value?.preferences.find((p) => p.kind === kind);
const printer = computed(() =>
  setup.value?.printers.find((p) => p.code === prefer("label")?.printer),
);
/** Papers other than labels that have a printer of their own: each goes there in one press. */
const ELSEWHERE: Record<string, string> = {
  packing_slip: "Packing slips",
  pick_list: "Pick list",
  invoice: "Invoices",
  customs: "Customs papers",
};
const elsewhere = computed(() =>
  Object.entries(ELSEWHERE).flatMap(([kind, name]) => {
    const to = setup.value?.printers.find((p) => p.code === prefer(kind)?.printer);
    return to && (kind !== "customs" || crossing.value)
      ? [{ kind, words: `${name} on ${to.name.charAt(0).toLowerCase()}${to.name.slice(1)}` }]
      : [];
  }),
);
const paper = computed(() => prefer("label")?.paper ?? "roll");
const PAPERS: Record<string, string> = {
  roll: "102 × 152 mm roll",
  narrow: "62 mm roll",
  a4: "two on A4",
  letter: "two on Letter",
};
const sent = useMutation({
  mutationFn: async (kind: string) =>
    await sendToPrinter({
      kind,
      shipment_ids: props.shipments.map((s) => s.id),
      sequence: sequence.value,
      client_key: `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 10)}`,
      printer: "",
      paper: "",
      copies: 0,
    } satisfies Schemas["PrintIn"]),
  onSuccess: refresh,
});
</script>

<template>
  <div class="bar">
    <v-btn v-if="printer" :loading="sent.isPending.value" @click="sent.mutate('label')"
      >Print {{ count(labels, "label") }} on
      {{ printer.name.charAt(0).toLowerCase() + printer.name.slice(1) }}</v-btn
    >
    <v-btn
      :variant="printer ? 'outlined' : 'flat'"
      :href="address('labels.pdf', { sequence, paper })"
      target="_blank"
      @click="opened = true"
      >{{ printer ? "Labels as PDF" : `Print ${count(labels, "label")}` }}</v-btn
    >
    <v-menu>
      <template #activator="{ props: menu }"
        ><v-btn v-bind="menu" variant="outlined">Other papers</v-btn></template
      >
      <div class="papers panel">
        <button
          v-for="e in elsewhere"
          :key="e.kind"
          class="link"
          type="button"
          @click="sent.mutate(e.kind)"
        >
          {{ e.words }}
        </button>
        <a
          class="link"
          :href="address('labels-and-slips.pdf', { sequence, paper })"
          target="_blank"
          @click="opened = true"
          >Slips and labels in one file</a
        >
        <a class="link" :href="address('packing-slips.pdf', { sequence })" target="_blank"
          >Packing slips</a
        >
        <a class="link" :href="address('pick-list.pdf')" target="_blank">Pick list by shelf</a>
        <a class="link" :href="address('posting-list.pdf')" target="_blank"
          >Posting list for the carrier</a
        >
        <a class="link" :href="address('invoices.pdf')" target="_blank">Buyers’ invoices</a>
        <a v-if="crossing" class="link" :href="address('customs-papers.pdf')" target="_blank"
          >Customs papers of {{ crossing }}</a
        >
        <a
          v-for="(name, code) in PAPERS"
          :key="code"
          class="link"
          :href="address('labels.pdf', { sequence, paper: code })"
          target="_blank"
          @click="opened = true"
          >Labels, {{ name }}</a
        >
        <a class="link" :href="address('labels/pictures')" @click="opened = true">Labels as PNG</a>
      </div>
    </v-menu>
    <v-select v-model="sequence" class="sequence" label="Order of printing" :items="SEQUENCES" />
    <span v-if="sent.data.value" class="fine small" role="status"
      >in the queue: {{ sent.data.value.title }}</span
    >
    <v-btn
      v-if="opened && unprinted"
      variant="outlined"
      :loading="marked.isPending.value"
      @click="marked.mutate()"
      >They are on paper: mark {{ count(unprinted, "label") }} printed</v-btn
    >
    <ErrorNote :error="sent.error.value ?? marked.error.value" />
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
}
.sequence {
  max-width: 180px;
  min-width: 150px;
  flex: 0 1 auto;
}
.papers {
  display: flex;
  flex-direction: column;
  padding: 6px 8px;
}
.papers .link {
  padding: 5px 8px;
  text-align: left;
}
</style>
