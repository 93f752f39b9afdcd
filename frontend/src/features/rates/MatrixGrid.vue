<script setup lang="ts">
import { useVirtualizer } from "@tanstack/vue-virtual";
import { computed, nextTick, ref } from "vue";
import { amountText, country, day } from "../../shared/format";
import { useKeys } from "../../shared/keyboard";
import { useMe } from "../../shared/session";
import type { Matrix } from "./useMatrix";

/** Orders by services, of which only what is seen is drawn; `at` is the cell that the keyboard is on. */
const props = defineProps<{ matrix: Matrix }>();
const at = defineModel<{ row: number; column: number }>({ required: true });
const { currency, may } = useMe();
const { rows, columns, staged, perColumn, chosen, lateBy, cheapest, stage, stageColumn } =
  props.matrix;
const box = ref<HTMLElement>();
const ROW = 30,
  HEAD = 236,
  WIDTH = 92,
  TOP = 58;
const down = useVirtualizer(
  computed(() => ({
    count: rows.value.length,
    getScrollElement: () => box.value ?? null,
    estimateSize: () => ROW,
    overscan: 12,
  })),
);
const across = useVirtualizer(
  computed(() => ({
    horizontal: true,
    count: columns.value.length,
    getScrollElement: () => box.value ?? null,
    estimateSize: () => WIDTH,
    overscan: 3,
    paddingStart: HEAD,
  })),
);
const shownColumns = computed(() => across.value.getVirtualItems());
async function move(down_: number, right: number): Promise<void> {
  at.value = {
    row: Math.max(0, Math.min(rows.value.length - 1, at.value.row + down_)),
    column: Math.max(0, Math.min(columns.value.length - 1, at.value.column + right)),
  };
  down.value.scrollToIndex(at.value.row, { align: "auto" });
  across.value.scrollToIndex(at.value.column, { align: "auto" });
  await nextTick();
}
const here = computed(() => ({
  row: rows.value[at.value.row],
  column: columns.value[at.value.column],
}));
useKeys({
  ArrowDown: () => void move(1, 0),
  ArrowUp: () => void move(-1, 0),
  ArrowRight: () => void move(0, 1),
  ArrowLeft: () => void move(0, -1),
  Enter: () =>
    here.value.row && here.value.column && stage(here.value.row, here.value.column.service.code),
  "|": () => here.value.column && stageColumn(here.value.column.i),
});
</script>

<template>
  <div
    ref="box"
    class="grid"
    tabindex="0"
    role="grid"
    aria-label="Orders by services, arrows to move, Enter to choose"
    :aria-rowcount="rows.length + 1"
    :aria-colcount="columns.length + 1"
  >
    <div
      :style="{
        width: `${across.getTotalSize()}px`,
        height: `${down.getTotalSize() + TOP}px`,
        position: 'relative',
      }"
    >
      <div class="heads" role="row">
        <div class="corner" role="columnheader">Order</div>
        <button
          v-for="v in shownColumns"
          :key="v.index"
          type="button"
          role="columnheader"
          class="service"
          :disabled="!may('shipper')"
          :style="{ left: `${v.start}px`, width: `${WIDTH}px` }"
          :title="`Choose ${columns[v.index]!.service.name} for all that it takes`"
          @click="stageColumn(columns[v.index]!.i)"
        >
          <span
            ><span class="mono-gram">{{ columns[v.index]!.service.monogram }}</span>
            {{ columns[v.index]!.service.name }}</span
          ><span class="small mute">takes {{ perColumn[columns[v.index]!.i] }}</span>
        </button>
      </div>
      <div
        v-for="r in down.getVirtualItems()"
        :key="rows[r.index]!.id"
        class="line"
        role="row"
        :aria-rowindex="r.index + 2"
        :style="{ top: `${r.start + TOP}px` }"
      >
        <div class="who" role="rowheader">
          <RouterLink class="mono" :to="`/orders/${rows[r.index]!.id}`">{{
            rows[r.index]!.number
          }}</RouterLink>
          <span class="mute"
            >{{ rows[r.index]!.recipient }}, {{ country(rows[r.index]!.country) }}</span
          >
        </div>
        <button
          v-for="v in shownColumns"
          :key="v.index"
          type="button"
          role="gridcell"
          tabindex="-1"
          class="cell"
          :style="{ left: `${v.start}px`, width: `${WIDTH}px` }"
          :disabled="!may('shipper') || rows[r.index]!.prices[columns[v.index]!.i] === null"
          :class="{
            chosen: chosen(rows[r.index]!) === columns[v.index]!.service.code,
            changed: staged.get(rows[r.index]!.id) === columns[v.index]!.service.code,
            here: at.row === r.index && at.column === v.index,
            late: lateBy(rows[r.index]!, columns[v.index]!.i),
            low: rows[r.index]!.prices[columns[v.index]!.i] === cheapest(rows[r.index]!),
          }"
          :title="
            rows[r.index]!.prices[columns[v.index]!.i] === null
              ? 'does not take it'
              : `${columns[v.index]!.service.name}: arrives ${day(rows[r.index]!.arrives[columns[v.index]!.i])}`
          "
          :aria-selected="chosen(rows[r.index]!) === columns[v.index]!.service.code"
          @click="
            at = { row: r.index, column: v.index };
            stage(rows[r.index]!, columns[v.index]!.service.code);
          "
        >
          {{
            rows[r.index]!.prices[columns[v.index]!.i] === null
              ? "·"
              : amountText(rows[r.index]!.prices[columns[v.index]!.i]!, currency)
          }}<span
            v-if="lateBy(rows[r.index]!, columns[v.index]!.i)"
            class="tardy"
            aria-label="after the promise"
            >◷</span
          >
        </button>
      </div>
    </div>
  </div>
</template>

<style scoped>
.grid {
  overflow: auto;
  background: var(--sheet);
  border: 1px solid var(--line);
  margin: 0 18px 10px;
  contain: strict;
}
.heads {
  position: sticky;
  top: 0;
  z-index: 2;
  height: 58px;
  background: var(--sheet);
  border-bottom: 1px solid var(--line);
}
.corner {
  position: sticky;
  left: 0;
  width: 236px;
  height: 57px;
  padding: 34px 10px 0;
  background: var(--sheet);
  color: var(--mute);
  font-size: 11.5px;
  z-index: 3;
}
.service {
  position: absolute;
  top: 0;
  height: 57px;
  font: inherit;
  font-size: 11.5px;
  line-height: 1.2;
  text-align: right;
  padding: 4px 8px;
  background: none;
  color: var(--ink);
  border: 0;
  cursor: pointer;
  overflow: hidden;
  display: flex;
  flex-direction: column;
  justify-content: flex-end;
  align-items: flex-end;
}
.service:hover:enabled {
  color: var(--mul);
}
.line {
  position: absolute;
  left: 0;
  height: 30px;
  width: 100%;
  border-bottom: 1px solid var(--line);
}
.who {
  position: sticky;
  left: 0;
  width: 236px;
  height: 29px;
  padding: 5px 10px;
  background: var(--sheet);
  z-index: 1;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  font-size: 12.5px;
  border-right: 1px solid var(--line);
}
.who a {
  color: var(--mul);
  text-decoration: none;
}
.cell {
  position: absolute;
  top: 0;
  height: 29px;
  font: inherit;
  font-size: 13px;
  text-align: right;
  padding: 0 8px;
  background: none;
  border: 0;
  color: var(--ink);
  cursor: pointer;
}
.cell:disabled {
  color: var(--mute);
  cursor: default;
}
.cell:hover:enabled {
  background: var(--soft);
}
.cell.low {
  font-weight: 700;
}
.cell.late {
  color: var(--wheat);
}
.tardy {
  font-size: 10px;
  margin-left: 3px;
}
.cell.chosen {
  background: var(--mul-soft);
  box-shadow: inset 0 -2px 0 var(--mul);
}
.cell.changed {
  background: var(--mul);
  color: var(--on-mul);
}
.cell.here {
  outline: 2px solid var(--mul);
  outline-offset: -2px;
}
</style>
