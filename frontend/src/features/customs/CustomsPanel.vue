<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import CustomsEdit from "./CustomsEdit.vue";
import DutyCharged from "./DutyCharged.vue";
import DutyStair from "./DutyStair.vue";
import { customsQuery, dropInvoice, takeInvoice, type Customs } from "./queries";
import { codeText, count, kilograms, money } from "../../shared/format";
import { useMe } from "../../shared/session";
import { ErrorNote, FileLink } from "../../shared/ui";

/** The declaration as the paper it becomes; beside it what this parcel needs, and what is due at the border. */
const props = defineProps<{ orderId: number; editable: boolean }>();
const { may } = useMe();
const { data, error } = useQuery(computed(() => customsQuery(props.orderId)));
const editing = ref(false);
const client = useQueryClient();
const keep = (fresh: Customs) => client.setQueryData(customsQuery(props.orderId).queryKey, fresh);
const take = useMutation({
  mutationFn: (file: File) => takeInvoice(props.orderId, file),
  onSuccess: keep,
});
const drop = useMutation({ mutationFn: () => dropInvoice(props.orderId), onSuccess: keep });
const PURPOSES: Record<string, string> = {
  sale: "Sale of goods",
  gift: "Gift",
  sample: "Commercial sample",
  return: "Returned goods",
  repair: "Repair",
  personal: "Personal effects",
  documents: "Documents",
};
const MARKS = { there: "✓", made: "✓", missing: "✗", never: "✗" } as const;
const STANDING = {
  there: "there",
  made: "made with the label",
  missing: "missing",
  never: "not let in",
} as const;
const PAPERS: Record<string, string> = {
  cn22: "CN22",
  cn23: "CN23",
  invoice: "Invoice",
  pro_forma: "Pro forma invoice",
  packing_list: "Packing list",
};
const missing = computed(
  () => data.value?.needs.filter((n) => ["missing", "never"].includes(n.standing)).length ?? 0,
);
</script>

<template>
  <ErrorNote :error="error ?? take.error.value ?? drop.error.value" />
  <template v-if="data?.border">
    <h2>
      Customs, {{ data.leaves }} to {{ data.to }}
      <span v-if="missing" class="stop small">{{ count(missing, "thing") }} missing</span>
      <span v-else class="fine small">✓ nothing is missing</span>
    </h2>
    <div class="paper" role="region" aria-label="Declaration" tabindex="0">
      <p class="top">
        <b>{{ PURPOSES[data.said.purpose ?? "sale"] }}</b><span
          >{{ data.sender_pays ? "DDP: we pay the duties" : "DAP: the recipient pays the duties" }}
        </span>
      </p>
      <table>
        <tbody>
          <tr v-for="item in data.items" :key="item.line">
            <td>
              {{ item.text || `“${item.name}” has no words for customs` }}
              <span v-if="item.free" class="mute small">free, value for customs only</span>
              <span v-if="item.said" class="press small">set for this order</span>
              <br /><span class="small mute"
                >{{ count(item.quantity, "piece") }}, {{ kilograms(item.net_g) }} net ·
                <span class="mono">{{ item.hs_code ? codeText(item.hs_code) : "no code" }}</span> ·
                {{ item.origin ? `made in ${item.origin}` : "no origin" }}</span
              >
            </td>
            <td class="right nowrap">{{ money(item.value_minor, data.currency) }}</td>
          </tr>
        </tbody>
        <tfoot>
          <tr>
            <td>Transport</td>
            <td class="right">{{ money(data.shipping_minor, data.currency) }}</td>
          </tr>
          <tr>
            <td>
              <b>Total</b> <span class="mute">gross {{ kilograms(data.gross_g) }}</span>
            </td>
            <td class="right">
              <b>{{ money(data.total_minor, data.currency) }}</b>
            </td>
          </tr>
        </tfoot>
      </table>
    </div>
    <p class="row-of small">
      <button v-if="editable" class="link" type="button" @click="editing = true">
        Change the declaration
      </button>
      <span v-if="data.bought" class="mute">As it was declared when the label was bought</span>
      <span class="grow" />
      <template v-if="data.papers.length && may('shipper')">
        <a class="link" :href="`/api/orders/${orderId}/customs.pdf`" target="_blank"
          >All papers in their copies</a
        >
        <a
          v-for="kind in data.papers"
          :key="kind"
          class="link"
          :href="`/api/orders/${orderId}/customs.pdf?kind=${kind}`"
          target="_blank"
          >{{ PAPERS[kind] }}</a
        >
        <a class="link" :href="`/api/orders/${orderId}/customs.xml`">Invoice as data</a>
      </template>
    </p>
    <p
      v-if="may('shipper') && data.papers.some((p) => ['invoice', 'pro_forma'].includes(p))"
      class="small"
    >
      <template v-if="data.own_invoice"
        >Your invoice <b>{{ data.own_invoice }}</b> stands for ours.
        <button class="link" type="button" @click="drop.mutate()">Take it away</button></template
      >
      <FileLink v-else accept=".pdf,.png,.jpg,.jpeg" @file="take.mutate($event)"
        >Use an invoice of your own</FileLink
      >
    </p>
    <h3>What this parcel needs</h3>
    <ul class="needs">
      <li v-for="(n, i) in data.needs" :key="i">
        <span :class="n.standing === 'missing' || n.standing === 'never' ? 'stop' : 'fine'">{{
          MARKS[n.standing]
        }}</span>
        <span
          ><b>{{ n.words }}</b
          ><template v-if="n.copies > 1"> × {{ n.copies }}</template>
          <span class="mute small"> {{ STANDING[n.standing] }}; {{ n.why }}</span></span
        >
      </li>
      <li v-if="!data.needs.length" class="mute">Documents need no papers for goods.</li>
    </ul>
    <DutyStair v-if="data.due" :due="data.due" :customs="data" />
    <DutyCharged
      v-if="data.bought && data.due"
      :order-id="orderId"
      :customs="data"
      :editable="may('shipper')"
    />
    <CustomsEdit v-if="editing" :order-id="orderId" :customs="data" @close="editing = false" />
  </template>
</template>

<style scoped>
.paper {
  border: 1px solid var(--line);
  background: var(--paper, var(--sheet));
  padding: 8px 10px;
  overflow-x: auto;
}
.paper .top {
  display: flex;
  gap: 14px;
  justify-content: space-between;
  margin: 0 0 6px;
  font-size: 12px;
}
.paper table {
  width: 100%;
  border-collapse: collapse;
  font-size: 12px;
}
.paper td {
  border-top: 1px solid var(--line);
  padding: 3px 6px 3px 0;
  vertical-align: top;
}
.needs {
  list-style: none;
  padding: 0;
  margin: 0;
  font-size: 12.5px;
}
.needs li {
  display: flex;
  gap: 8px;
  padding: 1px 0;
}
</style>
