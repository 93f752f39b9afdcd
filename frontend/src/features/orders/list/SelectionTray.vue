<script setup lang="ts">
import { computed } from "vue";
import { count, day, money, number } from "../../../shared/format";
import { useSelection } from "../../../shared/selection";
import { useMe } from "../../../shared/session";
import { late } from "./grouping";

/** What is selected: how many, what it costs, what stands in the way, and what can be done with all of them. */
const emit = defineEmits<{
  compare: [];
  edit: [];
  batch: [];
  hold: [];
  print: [];
  buy: [];
}>();
const { currency, may } = useMe();
const selection = useSelection();
/** What was paid in another currency is not added up with the rest. */
const paid = computed(() =>
  selection.rows.reduce((n, r) => n + (r.currency ? 0 : r.paid_shipping_minor), 0),
);
const waiting = computed(() => selection.rows.filter((r) => r.state === "open"));
const shipped = computed(() => selection.rows.filter((r) => r.state === "shipped"));
const lateOnes = computed(() => selection.rows.filter(late).length);
const withOthers = computed(() => selection.rows.filter((r) => r.held_by).length);
const latest = computed(() =>
  selection.buyable
    .map((r) => r.arrives ?? "")
    .sort()
    .at(-1),
);
</script>

<template>
  <div class="tray" role="region" aria-label="Selected orders">
    <div>
      <b>{{ count(selection.rows.length, "order") }}</b><span>{{
        waiting.length ? `${count(selection.labels, "label")} to buy` : "nothing to buy"
      }}</span>
    </div>
    <div v-if="waiting.length">
      <b>{{ money(selection.total, currency) }}</b><span
        >buyers paid {{ money(paid, currency) }}</span
      >
    </div>
    <div v-if="selection.buyable.length">
      <b :class="lateOnes ? 'press' : 'fine'">{{
        lateOnes ? `${count(lateOnes, "order")} late` : "all on promise"
      }}</b>
      <span>latest {{ day(latest) }}</span>
    </div>
    <div v-if="waiting.length > selection.buyable.length">
      <b class="stop">{{ number(waiting.length - selection.buyable.length) }}</b><span
        >cannot be bought</span
      >
    </div>
    <div v-if="withOthers">
      <b class="press">{{ withOthers }}</b><span>with others just now</span>
    </div>
    <span class="grow" />
    <button class="link" type="button" @click="selection.clear()">
      Unselect <span class="key">Esc</span>
    </button>
    <button v-if="shipped.length" class="link" type="button" @click="emit('print')">
      Print <span class="key">p</span>
    </button>
    <button v-if="waiting.length" class="link" type="button" @click="emit('compare')">
      Compare <span class="key">m</span>
    </button>
    <button
      v-if="waiting.length && may('shipper')"
      class="link"
      type="button"
      @click="emit('edit')"
    >
      Edit <span class="key">e</span>
    </button>
    <button
      v-if="waiting.length && may('shipper')"
      class="link"
      type="button"
      @click="emit('batch')"
    >
      Batch <span class="key">g</span>
    </button>
    <button v-if="may('shipper', 'care')" class="link" type="button" @click="emit('hold')">
      Hold <span class="key">h</span>
    </button>
    <v-btn v-if="may('shipper') && selection.buyable.length" @click="emit('buy')"
      >Buy {{ count(selection.labels, "label") }} · {{ money(selection.total, currency) }}</v-btn
    >
  </div>
</template>

<style scoped>
.tray {
  border-top: 1px solid var(--line);
  background: var(--sheet);
  min-height: 58px;
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 6px 18px;
  white-space: nowrap;
}
.tray b {
  display: block;
  font-size: 15px;
  font-weight: 650;
}
.tray div span {
  font-size: 11px;
  color: var(--mute);
}
@media (max-width: 1100px) {
  .tray {
    flex-wrap: wrap;
    gap: 2px 10px;
  }
  .tray .key {
    display: none;
  }
}
</style>
