<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { amountText, centimetres, count, kilograms, minorOf, money } from "../../../shared/format";
import { type Schemas } from "../../../api/client";
import { useMe } from "../../../shared/session";
import { gramsToWeight, lengthToMm, mmToLength, units, weightToGrams } from "../../../shared/units";
import OrderPackaging from "./OrderPackaging.vue";
import { countStock, packagingQuery, savePackaging, stockQuery, takeStarters } from "../queries";
import { AmountField, DataTable, ErrorNote, FormDialog } from "../../../shared/ui";

const client = useQueryClient();
const { may, currency } = useMe();
const { data: boxes, error } = useQuery(packagingQuery);
type Box = Schemas["PackagingIO"];
const editing = ref<Box>();
/** Typed in centimetres and grams, or inches and pounds; kept in whole millimetres and grams. */
const typed = ref<Record<string, string>>({});
const SIDES = [
  ["inner_length", "Inner length"],
  ["inner_width", "Inner width"],
  ["inner_height", "Inner height"],
  ["outer_length", "Outer length"],
  ["outer_width", "Outer width"],
  ["outer_height", "Outer height"],
] as const;
const WEIGHTS = [
  ["own_g", "Own weight"],
  ["padding_g", "Padding"],
  ["max_load_g", "Most load"],
] as const;
/** Where packaging is chosen by the weight of the goods: both, or neither. */
const RANGE = [
  ["holds_from_g", "For goods from"],
  ["holds_to_g", "For goods up to"],
] as const;
function start(box?: Box): void {
  save.reset();
  editing.value = box
    ? { ...box }
    : {
        id: null,
        code: "",
        name: "",
        inner_length: 0,
        inner_width: 0,
        inner_height: 0,
        outer_length: 0,
        outer_width: 0,
        outer_height: 0,
        own_g: 0,
        padding_g: 0,
        max_load_g: 0,
        cost_minor: 0,
        carrier: null,
        holds_from_g: null,
        holds_to_g: null,
        active: true,
      };
  typed.value = Object.fromEntries([
    ...SIDES.map(([k]) => [k, box ? mmToLength(box[k]) : ""]),
    ...WEIGHTS.map(([k]) => [k, box ? weightTyped(box[k]) : ""]),
    ...RANGE.map(([k]) => [k, typeof box?.[k] === "number" ? weightTyped(box[k]) : ""]),
    ["cost", amountText(box?.cost_minor ?? 0, currency.value)],
  ]);
}
/** Boxes weigh little: grams, where the shop counts in kilograms. */
const imperial = computed(() => units.value === "imperial");
const weightTyped = (grams: number) => (imperial.value ? gramsToWeight(grams) : String(grams));
function figure(key: string): number {
  const value = Number((typed.value[key] ?? "").replace(",", "."));
  return Number.isFinite(value) ? value : 0;
}
const weight = (key: string) =>
  imperial.value ? weightToGrams(figure(key)) : Math.round(figure(key));
const { data: stock } = useQuery(stockQuery);
const low = computed(
  () => new Set((stock.value ?? []).filter((one) => one.low).map((one) => one.code)),
);
const left = (box: Box) => stock.value?.find((one) => one.id === box.id);
const counting = ref<Box>();
const many = ref("");
const few = ref("");
function startCount(box: Box): void {
  counted.reset();
  counting.value = box;
  many.value = String(left(box)?.stock ?? "");
  few.value = String(left(box)?.low_at ?? "");
}
const counted = useMutation({
  mutationFn: () =>
    countStock(counting.value!.id!, {
      stock: many.value.trim() ? Number(many.value) : null,
      low_at: Number(few.value) || 0,
    }),
  onSuccess: () => {
    counting.value = undefined;
    void client.invalidateQueries({ queryKey: ["packaging"] });
  },
});
const { isPending: isCounting } = counted;
const starters = useMutation({
  mutationFn: takeStarters,
  onSuccess: () => client.invalidateQueries(),
});
const save = useMutation({
  mutationFn: async (box: Box) => {
    const body = { ...box, cost_minor: minorOf(typed.value.cost ?? "", currency.value) ?? 0 };
    for (const [key] of SIDES) body[key] = lengthToMm(figure(key));
    for (const [key] of WEIGHTS) body[key] = weight(key);
    for (const [key] of RANGE) body[key] = typed.value[key]?.trim() ? weight(key) : null;
    return await savePackaging(body);
  },
  onSuccess: () => {
    editing.value = undefined;
    void client.invalidateQueries();
  },
});
</script>

<template>
  <div class="page" tabindex="0" role="region" aria-label="Packaging">
    <div class="head">
      <h1>Packaging</h1>
      <span class="mute"
        >Own boxes and the carriers'; the smallest that everything fits into is taken</span
      ><span class="grow" /><v-btn v-if="may()" @click="start()">Add packaging</v-btn>
    </div>
    <ErrorNote :error="starters.error.value" />
    <p v-if="may() && boxes && boxes.length < 3" class="note">
      <v-btn :loading="starters.isPending.value" @click="starters.mutate()"
        >Take six common sizes</v-btn
      >
      of cartons and bags, to be changed to what you use.
    </p>
    <DataTable
      label="Packaging"
      :error="error"
      :columns="[
        'Packaging',
        'Whose',
        'Inside',
        'Outside',
        { title: 'Own weight', figure: true },
        { title: 'Padding', figure: true },
        { title: 'Most load', figure: true },
        { title: 'Cost', figure: true },
        { title: 'Left', figure: true },
        '',
      ]"
      :rows="boxes"
      :row-key="(b) => b.id ?? 0"
      :row-class="(b) => ({ mute: !b.active })"
      waiting="Fetching the packaging…"
      none="No packaging yet. Add a box and orders can be planned."
      ><template #row="{ row: b }">
        <td>
          <b>{{ b.name }}</b> <span class="mono mute small">{{ b.code }}</span>
        </td>
        <td>
          {{
            b.carrier
              ? `${b.carrier.charAt(0).toUpperCase()}${b.carrier.slice(1)}, one price`
              : "own"
          }}{{ b.active ? "" : ", not in use" }}
        </td>
        <td>{{ centimetres([b.inner_length, b.inner_width, b.inner_height]) }}</td>
        <td>{{ centimetres([b.outer_length, b.outer_width, b.outer_height]) }}</td>
        <td class="right">{{ kilograms(b.own_g) }}</td>
        <td class="right">{{ kilograms(b.padding_g) }}</td>
        <td class="right">
          {{ kilograms(b.max_load_g) }}
          <div v-if="typeof b.holds_to_g === 'number'" class="mute small nowrap">
            goods {{ kilograms(b.holds_from_g ?? 0) }} to {{ kilograms(b.holds_to_g) }}
          </div>
        </td>
        <td class="right">{{ money(b.cost_minor, currency) }}</td>
        <td class="right nowrap">
          <template v-if="left(b)">
            <b :class="{ stop: left(b)!.low }"
              >{{ left(b)!.low ? "▲ " : "" }}{{ left(b)!.stock }}</b
            >
            <div v-if="left(b)!.days_left !== null" class="mute small">
              {{ count(left(b)!.days_left!, "day") }}
            </div>
          </template>
          <button
            v-if="may('shipper', 'packer')"
            class="link"
            type="button"
            :aria-label="`Count ${b.name}`"
            @click="startCount(b)"
          >
            Count
          </button>
        </td>
        <td class="right">
          <button v-if="may()" class="link" type="button" @click="start(b)">Change</button>
        </td>
      </template></DataTable
    >
    <OrderPackaging v-if="boxes" :boxes="boxes" :low="low" />
    <FormDialog
      v-if="counting"
      :title="`How many ${counting.name} are left`"
      :error="counted.error.value"
      @close="counting = undefined"
      @send="counted.mutate()"
    >
      <v-text-field
        v-model="many"
        v-first
        label="Pieces there"
        inputmode="numeric"
        hint="Each label that is bought takes one; empty: they are not counted"
        persistent-hint
      />
      <v-text-field
        v-model="few"
        label="Order more from"
        inputmode="numeric"
        hint="Today says so once as few are left"
        persistent-hint
      />
      <template #actions><v-btn type="submit" :loading="isCounting">Save</v-btn></template>
    </FormDialog>
    <FormDialog
      v-if="editing"
      title="Packaging"
      :width="680"
      :error="save.error.value"
      @close="editing = undefined"
      @send="save.mutate(editing)"
    >
      <template #title>{{ editing.id ? `Change ${editing.name}` : "Add packaging" }}</template>
      <div class="form-grid">
        <v-text-field v-model="editing.name" v-first class="w4" label="Name" required />
        <v-text-field v-model="editing.code" class="w2" label="Code" required />
        <v-text-field
          v-for="[key, label] in SIDES"
          :key="key"
          v-model="typed[key]"
          class="w2"
          :label="label"
          :suffix="imperial ? 'in' : 'cm'"
          inputmode="decimal"
          required
        />
        <v-text-field
          v-for="[key, label] in WEIGHTS"
          :key="key"
          v-model="typed[key]"
          class="w2"
          :label="label"
          :suffix="imperial ? 'lb' : 'g'"
          inputmode="numeric"
          required
        />
        <AmountField v-model="typed.cost" class="w2" label="Cost of one" />
        <v-text-field
          v-for="[key, label] in RANGE"
          :key="key"
          v-model="typed[key]"
          class="w2"
          :label="label"
          :suffix="imperial ? 'lb' : 'g'"
          inputmode="numeric"
        />
        <v-checkbox v-model="editing.active" class="w4" label="In use" />
      </div>
      <p class="mute small">Saving plans all waiting orders again; what was set by hand stays.</p>
      <template #actions
        ><v-btn type="submit" :loading="save.isPending.value">Save the packaging</v-btn></template
      >
    </FormDialog>
  </div>
</template>
