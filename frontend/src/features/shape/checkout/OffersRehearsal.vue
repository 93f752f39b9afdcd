<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { nameOf, percentText, rehearsedQuery, soldQuery, type Body, type Turn } from "./offers";
import { count, money } from "../../../shared/format";
import { ErrorNote, SelectField } from "../../../shared/ui";

/** What the last 90 days would have paid by the offers as they stand here, against what sending really cost; and from
 * which value on one of them can be free without costing more than today. */
const props = defineProps<{ body: Body }>();
const emit = defineEmits<{ turn: [code: string, turn: Turn, value: number] }>();
const turn = ref<Turn>("free");
const TURNS: { value: Turn; title: string }[] = [
  { value: "free", title: "free from a value" },
  { value: "percent", title: "a percentage on it" },
  { value: "flat", title: "one price" },
];
const picked = ref("");
const rising = ref(0);
const chosen = computed({
  get: () => picked.value || props.body.offers[0]?.code || "",
  set: (code) => (picked.value = code),
});
const { data, error } = useQuery(
  computed(() => ({
    ...rehearsedQuery(
      props.body,
      chosen.value,
      turn.value,
      turn.value === "free" ? rising.value * 100 : 0,
    ),
    enabled: props.body.offers.length > 0,
  })),
);
const currency = computed(() => data.value?.currency ?? "EUR");
const { data: sold } = useQuery(soldQuery);
/** What a point of the curve is called: "free from €40.00", "5 % on top", "€4.90". */
const called = (value: number) =>
  turn.value === "free"
    ? `free from ${sum(value)}`
    : turn.value === "flat"
      ? sum(value)
      : value
        ? `${percentText(value)} ${value < 0 ? "off" : "on top"}`
        : "as it costs";
const sum = (minor: number) => money(minor, currency.value);
const rest = computed(() => (data.value ? data.value.would_pay_minor - data.value.cost_minor : 0));
const before = computed(() => (data.value ? data.value.in_force_minor - data.value.cost_minor : 0));
const items = computed(() => props.body.offers.map((o) => ({ value: o.code, title: nameOf(o) })));
const WIDE = 320;
const HIGH = 90;
const line = computed(() => {
  const points = data.value?.curve ?? [];
  if (points.length < 2) return undefined;
  const margins = [...points.map((p) => p.margin), before.value];
  const least = Math.min(...margins);
  const span = Math.max(...margins) - least || 1;
  const x = (n: number) => 6 + (n / (points.length - 1)) * (WIDE - 12);
  const y = (margin: number) => HIGH - 8 - ((margin - least) / span) * (HIGH - 16);
  return {
    path: points
      .map((p, n) => `${n ? "L" : "M"}${x(n).toFixed(1)} ${y(p.margin).toFixed(1)}`)
      .join(""),
    today: y(before.value),
    first: points[0]!,
    last: points.at(-1)!,
    dots: points.map((p, n) => ({ ...p, x: x(n), y: y(p.margin) })),
  };
});
</script>

<template>
  <section v-if="body.offers.length" class="panel rehearsal" aria-label="Rehearsal">
    <h2>Over the last {{ data?.days ?? 90 }} days</h2>
    <ErrorNote :error="error" />
    <p v-if="!data" class="mute">Going through what was sent…</p>
    <p v-else-if="!data.orders" class="mute">Nothing was sent yet that could be gone through.</p>
    <template v-else>
      <p>
        {{ count(data.orders, "order") }} would pay <b>{{ sum(data.would_pay_minor) }}</b>, cost
        {{ sum(data.cost_minor) }}:
        <b class="nowrap" :class="rest < 0 ? 'stop' : 'fine'"
          >{{ rest > 0 ? "+" : "" }}{{ sum(rest) }}</b
        >
      </p>
      <p class="small mute">
        As saved: {{ sum(before) }}. Really paid: {{ sum(data.really_paid_minor) }}.
        <span v-if="data.without" class="press"
          >{{ count(data.without, "order") }} would get no offer:
          {{ data.without_numbers.slice(0, 4).join(", ") }}{{ data.without > 4 ? "…" : "" }}.</span
        >
      </p>
      <p v-for="o in data.offers" :key="o.name" class="row small">
        <span>{{ o.name }}, {{ count(o.orders, "order") }}</span
        ><span :class="{ stop: o.paid < o.cost }">{{ sum(o.paid - o.cost) }}</span>
      </p>
      <div class="free">
        <SelectField v-model="chosen" label="Turn which offer" :items="items" />
        <SelectField v-model="turn" label="What is turned" :items="TURNS" />
        <label v-if="turn === 'free'" class="small"
          >Baskets just below that rise
          <input v-model.number="rising" type="range" min="0" max="60" step="5" />
          {{ rising }} %</label
        >
      </div>
      <template v-if="line">
        <svg
          :viewBox="`0 0 ${WIDE} ${HIGH}`"
          role="img"
          :aria-label="`What would be left, from ${called(line.first.value)} to ${called(line.last.value)}`"
        >
          <line class="today" x1="0" :x2="WIDE" :y1="line.today" :y2="line.today" />
          <path class="curve" :d="line.path" />
          <circle v-for="d in line.dots" :key="d.value" :cx="d.x" :cy="d.y" r="2.5">
            <title>
              {{ called(d.value) }}: {{ sum(d.margin) }} left<template v-if="turn === 'free'" >,
              {{ d.free }} go free</template >
            </title>
          </circle>
        </svg>
        <p class="row small mute">
          <span>{{ called(line.first.value) }}</span><span>{{ called(line.last.value) }}</span>
        </p>
        <p v-if="data.proposed" class="small">
          With <b>{{ called(data.proposed.value) }}</b> nothing is lost against today<template
            v-if="turn === 'free'"
            >; {{ count(data.proposed.free, "order") }} would go free</template
          >.
          <button
            type="button"
            class="link"
            @click="emit('turn', chosen, turn, data.proposed.value)"
          >
            Make it so
          </button>
        </p>
        <p v-else class="small mute">At none of these values is as much left as today.</p>
      </template>
      <p class="small mute">
        Taken for granted: each buyer takes the first offer, and a service costs what the one that
        was bought did.<template v-if="body.vat_bp"> All sums are without VAT.</template>
      </p>
    </template>
    <template v-if="sold?.length">
      <h3>What offers brought, paid against cost</h3>
      <p v-for="s in sold" :key="`${s.offer}@${s.version}`" class="row small">
        <span>{{ s.name }}, version {{ s.version }}, {{ count(s.orders, "order") }}</span
        ><span :class="{ stop: s.paid < s.cost }">{{ sum(s.paid) }} − {{ sum(s.cost) }}</span>
      </p>
    </template>
  </section>
</template>

<style scoped>
.rehearsal {
  margin-top: 16px;
  padding: 10px 16px;
}
.rehearsal h2 {
  margin: 0 0 4px;
}
.rehearsal p {
  margin: 4px 0;
}
.row {
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
.free {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
  align-items: center;
  margin-top: 8px;
}
.free input {
  width: 90px;
  vertical-align: middle;
  accent-color: var(--mul);
}
svg {
  display: block;
  width: 100%;
  margin-top: 6px;
}
.curve {
  fill: none;
  stroke: var(--mul);
  stroke-width: 2;
}
.today {
  stroke: var(--mute);
  stroke-dasharray: 4 4;
}
circle {
  fill: var(--mul);
}
</style>
