<script setup lang="ts">
import { useVirtualizer } from "@tanstack/vue-virtual";
import { computed, nextTick, ref, watch } from "vue";
import { country, clock, count, day, localDay, money, timeLeft } from "../../../shared/format";
import PlanCell from "./PlanCell.vue";
import { useSelection } from "../../../shared/selection";
import { now, useMe } from "../../../shared/session";
import { itemsOf, type Group } from "./grouping";
import type { OrderRow } from "../queries";

const props = defineProps<{
  groups: Group[];
  current: OrderRow | undefined;
  sort: string;
  descending: boolean;
  more: boolean;
}>();
const emit = defineEmits<{
  open: [row: OrderRow];
  pick: [row: OrderRow, event: MouseEvent];
  pickGroup: [group: Group];
  fix: [row: OrderRow];
  why: [row: OrderRow];
  link: [row: OrderRow];
  sort: [key: string];
  end: [];
  drag: [row: OrderRow, event: DragEvent];
  let: [];
}>();
const { zone, currency, may } = useMe();
const selection = useSelection();
const box = ref<HTMLElement>();
const items = computed(() => itemsOf(props.groups));
const ROW = 44,
  GROUP = 30;
const virtual = useVirtualizer(
  computed(() => ({
    count: items.value.length,
    getScrollElement: () => box.value ?? null,
    estimateSize: (i: number) => (items.value[i]?.kind === "group" ? GROUP : ROW),
    getItemKey: (i: number) => items.value[i]?.key ?? i,
    // A usual day is drawn whole, so that the browser's own search finds everything; longer lists as far as they are seen.
    overscan: items.value.length <= 250 ? 250 : 12,
  })),
);
const shown = computed(() => virtual.value.getVirtualItems());
const above = computed(() => shown.value[0]?.start ?? 0);
const below = computed(() => virtual.value.getTotalSize() - (shown.value.at(-1)?.end ?? 0));
watch(shown, (now_) => {
  if ((now_.at(-1)?.index ?? 0) >= items.value.length - 40 && props.more) emit("end");
});
watch(
  () => props.current?.id,
  async (id) => {
    await nextTick();
    const at = items.value.findIndex((i) => i.kind === "row" && i.row.id === id);
    if (at >= 0) virtual.value.scrollToIndex(at, { align: "auto" });
  },
);
const HEADS = [
  ["number", "Order"],
  ["recipient", "To"],
  ["", "Items"],
  ["promise", "Promise"],
  ["departure", "Plan"],
  ["price", "Price"],
] as const;

function total(group: Group): string {
  const sum = group.rows.reduce((n, r) => n + (r.price_minor ?? 0), 0);
  return sum ? money(sum, currency.value) : "";
}
function age(row: OrderRow): string {
  const date = localDay(new Date(row.ordered_at), zone.value);
  return date === localDay(now.value, zone.value) ? clock(row.ordered_at, zone.value) : day(date);
}
function pressing(group: Group): boolean {
  return Boolean(group.cut) && new Date(group.cut).getTime() - now.value.getTime() < 75 * 60_000;
}
</script>

<template>
  <div ref="box" class="rows" tabindex="0" role="region" aria-label="Orders, arrows to move">
    <slot />
    <table v-if="items.length" class="plain-table list" :aria-rowcount="items.length">
      <thead>
        <tr>
          <th class="tick"><span class="visually-hidden">Selected</span></th>
          <th
            v-for="[key, name] in HEADS"
            :key="name"
            :class="{ right: name === 'Price' }"
            :aria-sort="key && key === sort ? (descending ? 'descending' : 'ascending') : undefined"
          >
            <button
              v-if="key"
              class="sorter"
              type="button"
              :class="{ on: key === sort }"
              @click="emit('sort', key)"
            >
              {{ name
              }}<span v-if="key === sort && key !== 'departure'" aria-hidden="true">
                {{ descending ? "↓" : "↑" }}</span
              >
            </button>
            <template v-else>{{ name }}</template>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-if="above" aria-hidden="true">
          <td colspan="7" class="space" :style="{ height: `${above}px` }" />
        </tr>
        <template v-for="v in shown" :key="String(v.key)">
          <template v-for="item in items.slice(v.index, v.index + 1)" :key="item.key">
            <tr v-if="item.kind === 'group'" class="group">
              <td class="tick">
                <v-checkbox-btn
                  density="compact"
                  color="primary"
                  :aria-label="`Select all of ${item.group.title}`"
                  :model-value="item.group.rows.every((r) => selection.chosen.has(r.id))"
                  @update:model-value="emit('pickGroup', item.group)"
                />
              </td>
              <td colspan="5">
                <b :class="{ press: pressing(item.group) }">{{ item.group.title }}</b>
                <span class="mute"
                  >{{ item.group.cut ? `${timeLeft(item.group.cut, now, zone)} · ` : ""
                  }}{{ count(item.group.rows.length, "order") }}{{ more ? " so far" : "" }}</span
                >
              </td>
              <td class="right">{{ total(item.group) }}</td>
            </tr>
            <tr
              v-else
              class="row"
              :class="{
                selected: selection.chosen.has(item.row.id),
                current: item.row.id === current?.id,
              }"
              :data-current="item.row.id === current?.id"
              :data-order="item.row.number"
              :draggable="item.row.state === 'open' && may('shipper')"
              @click="emit('open', item.row)"
              @dragstart="emit('drag', item.row, $event)"
              @dragend="emit('let')"
            >
              <td class="tick" @click.stop>
                <v-checkbox-btn
                  density="compact"
                  color="primary"
                  :aria-label="`Select ${item.row.number}`"
                  :model-value="selection.chosen.has(item.row.id)"
                  @click="emit('pick', item.row, $event)"
                />
              </td>
              <td class="cut">
                <span class="mono">{{ item.row.number }}</span>
                <span
                  v-if="item.row.held_by"
                  class="held"
                  :title="`${item.row.held_by} is working on it`"
                  >● {{ item.row.held_by }}</span
                ><br /><span class="small mute">{{ item.row.channel }} · {{ age(item.row) }}</span>
              </td>
              <td class="cut">
                {{ item.row.recipient || "no name" }}
                <span
                  v-if="item.row.same_person"
                  class="small press"
                  :title="`${count(item.row.same_person, 'other open order')} to the same person`"
                  >+{{ item.row.same_person }}</span
                ><br /><span class="small mute"
                  >{{ item.row.city }}{{ item.row.city ? ", " : ""
                  }}{{ country(item.row.country) }}</span
                >
              </td>
              <td class="items" :title="item.row.items">
                <span class="two">{{ item.row.items }}</span>
              </td>
              <td class="cut">
                <button
                  v-if="
                    item.row.promise &&
                    !item.row.promise_linked &&
                    item.row.state === 'open' &&
                    may('shipper')
                  "
                  class="unlinked"
                  type="button"
                  title="This promise is linked to no recipe yet"
                  @click.stop="emit('link', item.row)"
                >
                  {{ item.row.promise }}
                </button>
                <template v-else>{{ item.row.promise || "–" }}</template><br />
                <span v-if="item.row.promise_date" class="small mute"
                  >by {{ day(item.row.promise_date) }}</span
                >
                <span v-if="item.row.payment === 'pay_on_delivery'" class="small press">
                  pay on delivery</span
                >
                <span v-for="tag in item.row.tags.slice(0, 2)" :key="tag" class="tag">{{
                  tag
                }}</span>
              </td>
              <td class="plan">
                <PlanCell
                  :row="item.row"
                  :current="item.row.id === current?.id"
                  @fix="emit('fix', item.row)"
                  @why="emit('why', item.row)"
                />
              </td>
              <td class="right price">
                <s
                  v-if="item.row.outdated && item.row.state === 'open'"
                  class="mute"
                  title="This price was good until a moment that has passed; it is planned anew"
                  >{{ money(item.row.price_minor, currency) }}</s><template v-else>{{
                  money(item.row.price_minor, currency)
                }}</template>
              </td>
            </tr>
          </template>
        </template>
        <tr v-if="below > 0" aria-hidden="true">
          <td colspan="7" class="space" :style="{ height: `${below}px` }" />
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.rows {
  overflow: auto;
  padding: 0 18px;
  outline-offset: -2px;
}
.list {
  table-layout: fixed;
  min-width: 830px;
}
.list th {
  position: sticky;
  top: 0;
  background: var(--paper);
  z-index: 1;
}
.list th:nth-child(1) {
  width: 30px;
}
.list th:nth-child(2) {
  width: 152px;
}
.list th:nth-child(3) {
  width: 152px;
}
.list th:nth-child(4) {
  width: 17%;
}
.list th:nth-child(5) {
  width: 160px;
}
.list th:nth-child(7) {
  width: 74px;
}
@media (max-width: 1100px) {
  .list {
    min-width: 0;
  }
  .list th:nth-child(2) {
    width: 112px;
  }
  .list th:nth-child(3) {
    width: 118px;
  }
  .list th:nth-child(4) {
    width: 15%;
  }
  .list th:nth-child(5) {
    width: 124px;
  }
}
.space {
  padding: 0;
  border: 0;
}
.sorter {
  min-width: 24px;
  min-height: 24px;
  text-align: inherit;
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
}
.sorter.on {
  color: var(--ink);
  font-weight: 650;
}
.group td {
  background: var(--soft);
  height: 30px;
  padding-top: 0;
  padding-bottom: 0;
}
.row {
  cursor: pointer;
}
.row td {
  height: 44px;
  padding-top: 0;
  padding-bottom: 0;
}
.row:hover {
  background: var(--soft);
}
.row.selected {
  background: var(--mul-soft);
}
.row.current td:first-child {
  box-shadow: inset 3px 0 0 var(--mul);
}
.row.current {
  outline: 1px solid var(--mul);
  outline-offset: -1px;
}
.cut {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.two {
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
}
.plan {
  line-height: 1.3;
}
.price {
  font-weight: 600;
  white-space: nowrap;
}
.unlinked {
  min-height: 24px;
  font: inherit;
  background: none;
  border: 0;
  border-bottom: 1px dashed var(--wheat-line);
  color: var(--wheat);
  padding: 0;
  cursor: pointer;
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
}
.held {
  color: var(--wheat);
  font-size: 11px;
}
.tag {
  font-size: 11px;
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 0 4px;
  margin-left: 4px;
  color: var(--mute);
}
.tick {
  padding: 0 0 0 2px !important;
}
.tick :deep(.v-selection-control) {
  min-height: 28px;
}
</style>
