<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { changeHand, sendApart } from "../queries";
import { type Schemas } from "../../../api/client";
import { count } from "../../../shared/format";
import { ErrorNote } from "../../../shared/ui";

const props = defineProps<{
  id: number;
  lines: Schemas["OrderLineOut"][];
  parcels: { contents: number[][] }[];
}>();
const emit = defineEmits<{ close: []; done: [] }>();
type Pile = Map<number, number>;
const piles = ref<Pile[]>(
  props.parcels.length
    ? props.parcels.map((p) => new Map(p.contents.map(([line, n]) => [line!, n!])))
    : [new Map(props.lines.map((l) => [l.id, l.quantity - l.sent]))],
);
const name = (id: number) => props.lines.find((l) => l.id === id)?.name ?? "";
const dragged = ref<{ from: number; line: number }>();
const most = ref("2");

function move(line: number, from: number, to: number, pieces = 1): void {
  if (from === to) return;
  while (piles.value.length <= to) piles.value.push(new Map());
  const here = piles.value[from]!,
    there = piles.value[to]!;
  const n = Math.min(pieces, here.get(line) ?? 0);
  if (n === (here.get(line) ?? 0)) here.delete(line);
  else here.set(line, (here.get(line) ?? 0) - n);
  there.set(line, (there.get(line) ?? 0) + n);
  piles.value = piles.value.filter((p, i) => p.size || i === 0).filter((p) => p.size);
}
function drop(to: number, event: DragEvent): void {
  if (dragged.value) move(dragged.value.line, dragged.value.from, to, event.shiftKey ? 5_000 : 1);
  dragged.value = undefined;
}
const filled = computed(() => piles.value.filter((p) => p.size));
const keep = useMutation({
  mutationFn: async () =>
    changeHand(props.id, {
      split: null,
      parcels: filled.value.map((p) => ({ contents: [...p.entries()], packaging: null })),
    }),
  onSuccess: () => emit("done"),
});
const split = useMutation({
  mutationFn: async (by: "quantity" | "weight") =>
    changeHand(props.id, {
      parcels: null,
      split: {
        by,
        most: Math.max(
          1,
          Math.round(Number(most.value.replace(",", ".")) * (by === "weight" ? 1000 : 1)),
        ),
      },
    }),
  onSuccess: () => emit("done"),
});
const apart = useMutation({
  mutationFn: async (pile: Pile) => sendApart(props.id, { items: Object.fromEntries(pile) }),
  onSuccess: () => emit("done"),
});
const failure = computed(() => keep.error.value ?? split.error.value ?? apart.error.value);
</script>

<template>
  <div class="divide">
    <ErrorNote :error="failure" />
    <!-- eslint-disable-next-line vuejs-accessibility/no-static-element-interactions -- dragging is a second way: the arrows beside each item do the same -->
    <div v-for="(pile, i) in piles" :key="i" class="pile" @dragover.prevent @drop="drop(i, $event)">
      <div class="between">
        <b>Parcel {{ i + 1 }}</b
        ><button
          v-if="piles.length > 1"
          class="quiet"
          type="button"
          title="A part of its own is planned, bought and followed by itself"
          @click="apart.mutate(pile)"
        >
          Send apart, as a part of its own
        </button>
      </div>
      <!-- eslint-disable-next-line vuejs-accessibility/no-static-element-interactions -- dragging is a second way: the buttons inside do the same -->
      <div
        v-for="[line, n] in pile"
        :key="line"
        class="item"
        draggable="true"
        @dragstart="dragged = { from: i, line }"
      >
        <span
          ><b>{{ n }}</b> × {{ name(line) }}</span
        >
        <span class="nowrap"
          ><button
            v-for="to in piles.length + 1"
            v-show="to - 1 !== i"
            :key="to"
            class="key"
            type="button"
            :aria-label="`One ${name(line)} to parcel ${to}`"
            @click="move(line, i, to - 1)"
          >
            → {{ to }}
          </button></span
        >
      </div>
    </div>
    <!-- eslint-disable-next-line vuejs-accessibility/no-static-element-interactions -- dragging is a second way: the button of the next number does the same -->
    <div class="pile new" @dragover.prevent @drop="drop(piles.length, $event)">
      Drag an item here for another parcel; with Shift all pieces
    </div>
    <div class="row">
      <span>or at most</span><input v-model="most" inputmode="decimal" aria-label="At most" />
      <button class="link" type="button" @click="split.mutate('quantity')">items each</button
      ><button class="link" type="button" @click="split.mutate('weight')">kg of goods each</button>
    </div>
    <div class="row">
      <v-btn size="small" :loading="keep.isPending.value" @click="keep.mutate()"
        >Keep {{ count(filled.length, "parcel") }}</v-btn
      ><button class="link" type="button" @click="emit('close')">Not now</button>
    </div>
  </div>
</template>

<style scoped>
.divide {
  border: 1px solid var(--mul);
  padding: 8px 12px;
  margin-bottom: 8px;
}
.pile {
  border: 1px dashed var(--todo);
  padding: 6px 10px;
  margin-bottom: 6px;
}
.new {
  color: var(--mute);
  font-size: 12px;
  text-align: center;
}
.between,
.item {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  align-items: baseline;
}
.item {
  padding: 2px 0;
  cursor: grab;
}
.nowrap {
  white-space: nowrap;
}
.row {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 6px;
  flex-wrap: wrap;
}
.row input {
  width: 60px;
  font: inherit;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 2px 6px;
  text-align: right;
}
</style>
