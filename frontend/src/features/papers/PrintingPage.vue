<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { savePreference, saveTemplate, changePrint, printingQuery, printsQuery } from "./queries";
import { type Schemas } from "../../api/client";
import { paperShort } from "./labels";
import PrintersTable from "./PrintersTable.vue";
import { dayAndClock } from "../../shared/format";
import { useMe } from "../../shared/session";
import { templateQuery } from "../shop";
import { DataTable, ErrorNote } from "../../shared/ui";

const client = useQueryClient();
const { zone, may, me } = useMe();
const { data: setup, error, isPending } = useQuery(printingQuery);
const { data: template } = useQuery(templateQuery);
const { data: jobs } = useQuery(computed(() => printsQuery(may("shipper", "packer"))));
const KINDS: Record<string, string> = {
  label: "Labels",
  packing_slip: "Packing slips",
  pick_list: "Pick lists",
  batch_summary: "Batch summaries",
  invoice: "Buyers’ invoices",
  return_label: "Labels for the way back",
  customs: "Customs papers",
};
const paperName = (kind: string, paper: string) =>
  ["label", "return_label"].includes(kind) && ["a4", "letter"].includes(paper)
    ? `Two on a sheet, ${paperShort(paper)}`
    : paperShort(paper);
const printers = computed(() => [
  { title: "The browser prints", value: "" },
  ...(setup.value?.printers ?? []).map((p) => ({ title: p.name, value: p.code })),
]);
const prefer = useMutation({
  mutationFn: async (body: Schemas["PreferenceIO"]) => await savePreference(body),
  onSuccess: () => client.invalidateQueries({ queryKey: ["printing"] }),
});
const message = ref("");
watch(template, (t) => (message.value = t?.message ?? ""), { immediate: true });
const keep = useMutation({
  mutationFn: async (change: Partial<Schemas["TemplateIO"]>) =>
    await saveTemplate({ ...template.value!, ...change }),
  onSuccess: () => client.invalidateQueries({ queryKey: ["printing"] }),
});
const change = useMutation({
  mutationFn: async (job: { id: number; what: Schemas["JobChangeIn"]["what"] }) =>
    await changePrint(job.id, { what: job.what }),
  onSuccess: () => client.invalidateQueries({ queryKey: ["prints"] }),
});
const failure = computed(
  () => error.value ?? prefer.error.value ?? keep.error.value ?? change.error.value,
);
const LINES = [
  { title: "Nothing", value: "" },
  { title: "What is in the parcel", value: "items" },
  { title: "The channel", value: "channel" },
  { title: "The order’s reference", value: "reference" },
];
const OPEN = ["waiting", "taken", "in_doubt"];
const AGAIN: Record<string, string> = { waiting: "Try now", taken: "Ask now" };
const counted = (times: number) => (times === 1 ? "once" : `${times} times`);
const STATES: Record<string, string> = {
  waiting: "Waiting",
  taken: "In the printer",
  in_doubt: "In doubt",
  printed: "Printed",
  cancelled: "Cancelled",
};
</script>

<template>
  <div class="page" tabindex="0" role="region" aria-label="Printing">
    <div class="head">
      <h1>Printing</h1>
      <span class="mute">What stands chosen for each paper; it can be changed for one print</span
      ><span class="grow" /><a
        v-if="me?.standins_url"
        class="link"
        :href="`${me.standins_url}/printers`"
        target="_blank"
        rel="noopener"
        >What the printers hold</a
      >
    </div>
    <ErrorNote :error="failure" />
    <p v-if="isPending" class="empty">Fetching the printers…</p>
    <div v-else-if="setup" class="two">
      <section>
        <DataTable
          label="Papers"
          :columns="['Document', 'Paper', 'Printer', 'Copies']"
          :rows="setup.preferences"
          :row-key="(p) => p.kind"
          ><template #row="{ row: p }">
            <td>{{ KINDS[p.kind] }}</td>
            <td>
              <v-select
                :model-value="p.paper"
                :aria-label="`Paper for ${KINDS[p.kind]}`"
                :disabled="!may('shipper')"
                :items="p.papers!.map((v) => ({ title: paperName(p.kind, v), value: v }))"
                @update:model-value="prefer.mutate({ ...p, paper: $event })"
              />
            </td>
            <td>
              <v-select
                :model-value="p.printer"
                :aria-label="`Printer for ${KINDS[p.kind]}`"
                :disabled="!may('shipper')"
                :items="printers"
                @update:model-value="prefer.mutate({ ...p, printer: $event })"
              />
            </td>
            <td>
              <v-select
                :model-value="p.copies"
                :aria-label="`Copies of ${KINDS[p.kind]}`"
                :disabled="!may('shipper')"
                :items="[1, 2, 3, 4]"
                @update:model-value="prefer.mutate({ ...p, copies: $event })"
              />
            </td> </template
        ></DataTable>
        <PrintersTable :printers="setup.printers" />
        <h2 class="gap">Print queue</h2>
        <DataTable
          label="Print queue"
          :columns="['Document', 'Printer', 'State', '']"
          :rows="jobs"
          :row-key="(j) => j.id"
          none="Nothing was sent to a printer yet."
          ><template #row="{ row: j }">
            <td>
              {{ j.title }}<span v-if="j.copies > 1"> × {{ j.copies }}</span
              ><br /><span class="small mute">{{ dayAndClock(j.created_at, zone) }}</span>
            </td>
            <td>{{ setup.printers.find((p) => p.code === j.printer)?.name ?? j.printer }}</td>
            <td>
              <b :class="{ press: OPEN.includes(j.state) }">{{ STATES[j.state] }}</b><br /><span
                v-if="OPEN.includes(j.state) && j.last_error"
                class="small stop"
                >{{ j.last_error
                }}{{ j.attempts ? `; tried ${counted(j.attempts)}, goes on` : "" }}</span
              >
            </td>
            <td class="right">
              <button
                v-if="j.state === 'in_doubt'"
                class="link"
                type="button"
                @click="change.mutate({ id: j.id, what: 'is_printed' })"
              >
                It is printed</button
              ><button
                v-if="OPEN.includes(j.state)"
                class="link"
                type="button"
                @click="change.mutate({ id: j.id, what: 'cancel' })"
              >
                Cancel</button
              ><button
                class="link"
                type="button"
                @click="change.mutate({ id: j.id, what: 'again' })"
              >
                {{ AGAIN[j.state] ?? "Print again" }}
              </button>
            </td>
          </template></DataTable
        >
      </section>
      <section v-if="template">
        <h2>Packing slip and label</h2>
        <v-textarea
          v-model="message"
          class="mt-2"
          label="Message at the foot of the slip"
          rows="3"
          maxlength="600"
          :disabled="!may()"
        />
        <button
          v-if="message !== template.message"
          class="link"
          type="button"
          @click="keep.mutate({ message })"
        >
          Keep the message
        </button>
        <v-checkbox
          class="mb-3"
          :model-value="template.prices"
          label="Prices on the slip (never on orders tagged “gift”)"
          :disabled="!may()"
          @update:model-value="keep.mutate({ prices: !!$event })"
        />
        <v-select
          :model-value="template.label_line"
          label="Line beside the order number"
          :items="LINES"
          :disabled="!may()"
          @update:model-value="keep.mutate({ label_line: $event })"
        />
      </section>
    </div>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 5fr) minmax(0, 2fr);
  gap: 26px;
}
.gap {
  margin: 20px 0 6px;
}
.file {
  display: inline-block;
}
@media (max-width: 1180px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
