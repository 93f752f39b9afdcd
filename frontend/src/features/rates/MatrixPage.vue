<script setup lang="ts">
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import { count, day, money } from "../../shared/format";
import { useKeys } from "../../shared/keyboard";
import { useMe } from "../../shared/session";
import { ErrorNote } from "../../shared/ui";
import MatrixGrid from "./MatrixGrid.vue";
import { markWords } from "./queries";
import { useMatrix } from "./useMatrix";

const { currency, may } = useMe();
const router = useRouter();
const all = useMatrix();
const { ids, matrix, error, isPending, columns, rows, staged, undo, before, after } = all;
const { policies, apply, stagePolicy, keep, takeBack } = all;
const at = ref({ row: 0, column: 0 });
const here = computed(() => ({
  row: rows.value[at.value.row],
  column: columns.value[at.value.column],
}));
const digits = Object.fromEntries(
  [1, 2, 3, 4, 5].map((n) => [
    String(n),
    () => {
      const p = policies.value[n - 1];
      if (p) stagePolicy(p.key);
    },
  ]),
);
useKeys({
  k: keep,
  Escape: () => (staged.value.size ? staged.value.clear() : void router.push("/orders")),
  ...digits,
});
</script>

<template>
  <div class="matrix">
    <div class="head bar">
      <button class="link" type="button" @click="router.push('/orders')">← Orders</button>
      <h1>Compare</h1>
      <span v-if="matrix" class="mute"
        >{{ count(rows.length, "order") }} by {{ count(columns.length, "service")
        }}<template v-if="ids.length > rows.length"
          >; {{ ids.length - rows.length }} with a snag left out</template
        ></span
      >
    </div>
    <div class="policies">
      <ErrorNote :error="error ?? apply.error.value" />
      <template v-for="(p, n) in policies" :key="p.key">
        <button
          type="button"
          class="policy"
          :disabled="!may('shipper')"
          :title="matrix!.formulas[p.key]"
          @click="stagePolicy(p.key)"
        >
          <b>{{ markWords(p.key) }}</b> <span class="key">{{ n + 1 }}</span><br /><span
            >{{ money(p.total, currency) }}
            <span :class="p.total < before.total ? 'fine' : 'mute'">{{
              p.total === before.total
                ? "the same"
                : `${p.total < before.total ? "−" : "+"}${money(Math.abs(p.total - before.total), currency)}`
            }}</span><span v-if="p.late" class="press">, {{ p.late }} late</span></span
          >
        </button>
      </template>
    </div>
    <p v-if="!ids.length" class="empty">
      Nothing is selected to compare. Select waiting orders in the list with Space or Shift and
      arrows, then press <span class="key">m</span>.
    </p>
    <p v-else-if="isPending" class="empty">Working out every price…</p>
    <p v-else-if="!rows.length" class="empty">
      None of the selected orders can be priced yet: fix their snags first.
    </p>
    <MatrixGrid v-else v-model="at" :matrix="all" />
    <div v-if="rows.length" class="tray" role="region" aria-label="What changes">
      <div>
        <b>{{ money(before.total, currency) }}</b><span
          >as planned{{ before.late ? `, ${before.late} late` : "" }}</span
        >
      </div>
      <div>
        <b :class="after.total < before.total ? 'fine' : ''">{{
          money(after.total, currency)
        }}</b><span
          >with {{ count(staged.size, "change")
          }}{{ after.late ? `, ${after.late} late` : "" }}</span
        >
      </div>
      <div v-if="here.row && here.column">
        <b>{{ here.row.number }}, {{ here.column.service.name }}</b
        ><span
          >{{
            here.row.prices[here.column.i] === null
              ? "does not take it"
              : `arrives ${day(here.row.arrives[here.column.i])}`
          }}{{ here.row.promise ? `, promised ${day(here.row.promise)}` : "" }},
          {{ here.row.packaging }}</span
        >
      </div>
      <span class="grow" />
      <button v-if="undo && !staged.size" class="link" type="button" @click="takeBack">
        Undo {{ count(Object.keys(undo).length, "change") }}
      </button>
      <button v-if="staged.size" class="link" type="button" @click="staged.clear()">
        Drop the changes <span class="key">Esc</span>
      </button>
      <v-btn
        v-if="may('shipper')"
        :disabled="!staged.size"
        :loading="apply.isPending.value"
        @click="keep"
        >Keep {{ count(staged.size, "change")
        }}{{
          after.total === before.total
            ? ""
            : ` · ${after.total < before.total ? "−" : "+"}${money(Math.abs(after.total - before.total), currency)}`
        }}</v-btn
      >
    </div>
  </div>
</template>

<style scoped>
.matrix {
  display: grid;
  grid-template-rows: auto auto minmax(0, 1fr) auto;
  height: 100%;
}
.bar {
  padding: 12px 18px 2px;
  margin: 0;
}
.policies {
  display: flex;
  gap: 8px;
  padding: 4px 18px 8px;
  flex-wrap: wrap;
}
.note {
  width: 100%;
}
.policy {
  font: inherit;
  text-align: left;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 4px 12px;
  cursor: pointer;
  font-size: 12.5px;
}
.policy:hover {
  border-color: var(--mul);
}
.policy b {
  display: inline-block;
}
.policy b::first-letter {
  text-transform: uppercase;
}
.tray {
  border-top: 1px solid var(--line);
  background: var(--sheet);
  min-height: 58px;
  display: flex;
  align-items: center;
  gap: 22px;
  padding: 6px 18px;
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
</style>
