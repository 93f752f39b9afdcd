<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { type Schemas } from "../../../api/client";
import { count, number } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { CheckField, DataTable, ErrorNote, FormDialog } from "../../../shared/ui";
import { addRange, removeRange } from "../queries";

/** The numbers that a carrier gave for labels of the shop's own: ranges, what is left of them, and another one. */
const props = defineProps<{ carrier: Schemas["CarrierOut"] }>();
const client = useQueryClient();
const { may } = useMe();
type Range = Schemas["RangeIn"];
const KINDS = [
  { value: "counter" as const, title: "counter" },
  { value: "s10" as const, title: "S10, of a post" },
  { value: "sscc" as const, title: "SSCC, of GS1" },
];
const BEFORE = {
  counter: "What stands before it",
  s10: "Two letters before it",
  sscc: "Extension digit and company prefix",
};
const wanted = ref<Range>();
function start(): void {
  add.reset();
  wanted.value = {
    kind: "counter",
    prefix: "",
    country: "",
    digits: 8,
    check: false,
    first: 1,
    last: 1000,
    warn_at: 100,
  };
}
const fresh = () => client.invalidateQueries();
const add = useMutation({
  mutationFn: (body: Range) => addRange(props.carrier.code, body),
  onSuccess: () => {
    wanted.value = undefined;
    return fresh();
  },
});
const remove = useMutation({
  mutationFn: (id: number) => removeRange(props.carrier.code, id),
  onSuccess: fresh,
});
</script>

<template>
  <h2>Numbers on its labels</h2>
  <p v-if="!carrier.ranges.length" class="mute">
    No range yet: labels go without a number, and the one that the carrier gives is typed or scanned
    later.
  </p>
  <DataTable
    v-else
    label="Ranges of numbers"
    :columns="['From', 'To', 'Next', { title: 'Left', figure: true }, '']"
    :rows="carrier.ranges"
    :row-key="(r) => r.id"
    ><template #row="{ row: r }">
      <td class="mono small">{{ r.first }}</td>
      <td class="mono small">{{ r.last }}</td>
      <td class="mono small">{{ r.next || "used up" }}</td>
      <td class="right" :class="{ stop: r.low }">{{ number(r.left) }}</td>
      <td class="right">
        <button v-if="may() && !r.used" class="link" type="button" @click="remove.mutate(r.id)">
          Take away
        </button>
      </td>
    </template></DataTable
  >
  <p v-if="carrier.ranges.length && carrier.ranges.some((r) => r.low)" class="stop">
    {{ count(carrier.numbers_left, "number") }} left: ask {{ carrier.name }} for another range.
  </p>
  <ErrorNote :error="remove.error.value" />
  <p v-if="may()">
    <button class="link" type="button" @click="start">Add a range of numbers</button>
  </p>
  <FormDialog
    v-if="wanted"
    title="Add a range of numbers"
    :error="add.error.value"
    @close="wanted = undefined"
    @send="add.mutate(wanted)"
  >
    <div class="form-grid">
      <v-select v-model="wanted.kind" class="w3" label="Kind" :items="KINDS" />
      <v-text-field v-model="wanted.prefix" v-first class="w3" :label="BEFORE[wanted.kind]" />
      <v-text-field
        v-if="wanted.kind === 's10'"
        v-model="wanted.country"
        class="w2"
        label="Country at its end"
        maxlength="2"
      />
      <v-text-field
        v-if="wanted.kind === 'counter'"
        v-model.number="wanted.digits"
        class="w2"
        label="Digits"
        type="number"
        min="1"
        max="12"
      />
      <CheckField v-if="wanted.kind === 'counter'" v-model="wanted.check" label="check digit" />
      <v-text-field
        v-model.number="wanted.first"
        class="w3"
        label="First serial, without check digit"
        type="number"
        min="0"
        required
      />
      <v-text-field
        v-model.number="wanted.last"
        class="w3"
        label="Last serial"
        type="number"
        min="0"
        required
      />
      <v-text-field
        v-model.number="wanted.warn_at"
        class="w3"
        label="Warn when so many are left"
        type="number"
        min="0"
      />
    </div>
    <template #actions
      ><v-btn type="submit" :loading="add.isPending.value">Add the range</v-btn></template
    >
  </FormDialog>
</template>
