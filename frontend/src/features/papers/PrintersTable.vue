<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { addPrinter, lookAtPrinter, removePrinter } from "./queries";
import { type Schemas } from "../../api/client";
import { capital, dayAndClock } from "../../shared/format";
import { useMe } from "../../shared/session";
import { DataTable, ErrorNote, FormDialog } from "../../shared/ui";
import { paperShort } from "./labels";

/** The printers: what lies in them, what is in their way; one more by its address, one taken away. */
defineProps<{ printers: Schemas["PrinterOut"][] }>();
const client = useQueryClient();
const { zone, may } = useMe();
const fresh = () => client.invalidateQueries({ queryKey: ["printing"] });
const wanted = ref<Schemas["PrinterIn"]>();
const add = useMutation({
  mutationFn: addPrinter,
  onSuccess: () => {
    wanted.value = undefined;
    return fresh();
  },
});
const { isPending: adding } = add;
const look = useMutation({ mutationFn: lookAtPrinter, onSettled: fresh });
const going = ref<Schemas["PrinterOut"]>();
const remove = useMutation({
  mutationFn: removePrinter,
  onSuccess: () => {
    going.value = undefined;
    void client.invalidateQueries({ queryKey: ["prints"] });
    return fresh();
  },
});
const { isPending: removing } = remove;
const failure = computed(() => look.error.value);
const state = (p: Schemas["PrinterOut"]) =>
  p.failure ? `Does not answer: ${p.failure}` : capital(p.troubles.join(", "));
/** What the demo ships stands at an address that its start chooses. */
const whereabouts = (address: string) =>
  address.startsWith("{") ? "a stand-in of the demo" : address;
const papers = (p: Schemas["PrinterOut"]) =>
  p.kind === "server" ? "any paper" : p.papers.map(paperShort).join(", ");
function start(): void {
  add.reset();
  wanted.value = { name: "", address: "ipp://" };
}
</script>

<template>
  <div class="head printers">
    <h2>Printers</h2>
    <span class="grow" /><v-btn v-if="may()" variant="outlined" size="small" @click="start"
      >Add a printer</v-btn
    >
  </div>
  <ErrorNote :error="failure" />
  <DataTable
    label="Printers"
    :columns="['Printer', 'Paper', 'State', '']"
    :rows="printers"
    :row-key="(p) => p.code"
    none="No printer yet: the browser prints. Any printer by IPP Everywhere can be added by its address."
    ><template #row="{ row: p }">
      <td>
        {{ p.name }}<br /><span class="small mute">{{ p.model || whereabouts(p.address) }}</span>
      </td>
      <td>
        {{ papers(p) || "none that we print on"
        }}<template v-if="p.media.length"
          ><br /><span class="small mute">in it: {{ p.media.join(", ") }}</span></template
        >
      </td>
      <td>
        <b v-if="state(p)" class="stop">{{ state(p) }}</b><template v-else>{{
          p.seen_at ? "Ready" : "Not asked yet"
        }}</template
        ><template v-if="p.seen_at"
          ><br /><span class="small mute">{{ dayAndClock(p.seen_at, zone) }}</span></template
        >
      </td>
      <td class="right">
        <button class="link" type="button" @click="look.mutate(p.code)">Look again</button>
        <button v-if="may()" class="link" type="button" @click="going = p">Take away</button>
      </td>
    </template></DataTable
  >
  <FormDialog
    v-if="wanted"
    title="Add a printer"
    :error="add.error.value"
    @close="wanted = undefined"
    @send="add.mutate(wanted)"
  >
    <v-text-field v-model="wanted.name" v-first label="Name" class="mb-3" required />
    <v-text-field v-model="wanted.address" label="Address" required />
    <p class="mute small">
      ipp://its-name-or-number/ipp/print for any printer by IPP Everywhere, also for label rolls. An
      http:// address is a server of yours that takes PDF. It is asked before it is added.
    </p>
    <template #actions><v-btn type="submit" :loading="adding">Add it</v-btn></template>
  </FormDialog>
  <FormDialog
    v-if="going"
    :title="`Take ${going.name} away`"
    :error="remove.error.value"
    closes="Keep it"
    @close="going = undefined"
    @send="remove.mutate(going.code)"
  >
    <p>Prints that wait for it are cancelled, and the browser prints what was its work.</p>
    <template #actions><v-btn type="submit" :loading="removing">Take it away</v-btn></template>
  </FormDialog>
</template>

<style scoped>
.printers {
  margin: 22px 0 6px;
}
</style>
