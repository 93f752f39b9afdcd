<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, reactive, ref } from "vue";
import { packagingArrived, packagingOrdersQuery, orderPackaging, type Box } from "../queries";
import { count, day } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { ErrorNote, FormDialog } from "../../../shared/ui";

/** Carriers' own packaging ordered from them, and what of it is on its way; what comes is counted in by one press. */
const props = defineProps<{ boxes: Box[]; low: Set<string> }>();
const client = useQueryClient();
const { may } = useMe();
const { data: orders } = useQuery(packagingOrdersQuery);
const carriers = computed(() => [
  ...new Set(props.boxes.filter((b) => b.active && b.carrier).map((b) => b.carrier!)),
]);
const called = (code: string) => code.charAt(0).toUpperCase() + code.slice(1);
const open = ref("");
const pieces = reactive<Record<string, string>>({});
const key = ref("");
const theirs = computed(() => props.boxes.filter((b) => b.active && b.carrier === open.value));
function start(carrier: string): void {
  order.reset();
  open.value = carrier;
  key.value = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 12)}`;
  for (const box of theirs.value) pieces[box.code] = props.low.has(box.code) ? "50" : "";
}
const fresh = () => client.invalidateQueries({ queryKey: ["packaging"] });
const order = useMutation({
  mutationFn: () =>
    orderPackaging({
      carrier: open.value,
      client_key: key.value,
      pieces: Object.fromEntries(theirs.value.map((b) => [b.code, Number(pieces[b.code]) || 0])),
    }),
  onSuccess: () => {
    open.value = "";
    return fresh();
  },
});
const { isPending: ordering } = order;
const arrived = useMutation({ mutationFn: packagingArrived, onSettled: fresh });
const name = (code: string) => props.boxes.find((b) => b.code === code)?.name ?? code;
const what = (p: Record<string, number>) =>
  Object.entries(p)
    .map(([code, n]) => `${n} × ${name(code)}`)
    .join(", ");
</script>

<template>
  <section v-if="carriers.length" aria-label="Carriers' packaging">
    <h2>From the carriers</h2>
    <ErrorNote :error="arrived.error.value" />
    <p v-if="may('shipper')" class="acts">
      <button v-for="c in carriers" :key="c" type="button" class="link" @click="start(c)">
        Order from {{ called(c) }}
      </button>
    </p>
    <p v-for="o in orders" :key="o.id">
      {{ called(o.carrier) }}: {{ what(o.pieces) }},
      <span v-if="o.state === 'asked'" class="press">being ordered by {{ o.asked_by }}</span>
      <span v-else-if="o.state === 'refused'" class="stop">✕ {{ o.words }}</span>
      <span v-else-if="o.state === 'arrived'" class="fine">✓ arrived</span>
      <template v-else>
        on its way, <span class="mono">{{ o.confirmation }}</span><template v-if="o.arrives"
          >, {{ day(o.arrives) }}</template
        >
        <button
          v-if="may('shipper', 'packer')"
          type="button"
          class="link"
          @click="arrived.mutate(o.id)"
        >
          It is here
        </button>
      </template>
    </p>
    <FormDialog
      v-if="open"
      :title="`Order packaging from ${called(open)}`"
      :error="order.error.value"
      @close="open = ''"
      @send="order.mutate()"
    >
      <div class="form-grid">
        <v-text-field
          v-for="(b, n) in theirs"
          :key="b.code"
          v-model="pieces[b.code]"
          v-first="n === 0"
          class="w3"
          inputmode="numeric"
          :label="`Pieces of ${b.name}`"
        />
      </div>
      <template #actions
        ><v-btn type="submit" :loading="ordering"
          >Order
          {{
            count(
              theirs.reduce((n, b) => n + (Number(pieces[b.code]) || 0), 0),
              "piece",
            )
          }}</v-btn
        ></template
      >
    </FormDialog>
  </section>
</template>

<style scoped>
h2 {
  margin: 18px 0 4px;
}
.acts {
  display: flex;
  gap: 14px;
}
</style>
