<script setup lang="ts">
import { computed } from "vue";
import { type Customs } from "./queries";
import { money } from "../../shared/format";

/** Duties and taxes as a stair: from what the goods are worth to what is due at the border. */
const props = defineProps<{ due: NonNullable<Customs["due"]>; customs: Customs }>();
const steps = computed(() => {
  let sum = 0;
  const most = props.due.value_minor + props.due.total_minor + props.due.at_sale_minor || 1;
  return props.due.steps.map((step) => {
    const from = step.code === "value" ? 0 : sum;
    sum = from + step.amount_minor;
    const left = (from / most) * 100;
    return { ...step, left, wide: (step.amount_minor / most) * 100 };
  });
});
const inShop = computed(() =>
  props.due.currency === props.customs.currency
    ? ""
    : `, ${money(props.due.in_order_minor, props.customs.currency)}`,
);
</script>

<template>
  <h3>Duties and taxes, an estimate</h3>
  <template v-if="due.known">
    <ol class="stair" aria-label="From the customs value to what is due">
      <li v-for="(s, i) in steps" :key="i">
        <span class="what"
          >{{ s.words }} <span class="mute small">{{ s.why }}</span></span
        >
        <span class="track" aria-hidden="true"
          ><i :class="s.code" :style="{ left: `${s.left}%`, width: `${s.wide}%` }"
        /></span>
        <span class="right nowrap">{{ money(s.amount_minor, due.currency) }}</span>
      </li>
    </ol>
    <p>
      <template v-if="due.total_minor"
        ><b>{{ money(due.total_minor, due.currency) }}{{ inShop }}</b> due at the border,
        {{ customs.sender_pays ? "paid by us" : "paid by the recipient" }}</template
      ><b v-else>Nothing is due at the border</b
      ><template v-if="due.at_sale_minor"
        >; {{ money(due.at_sale_minor, due.currency) }} of tax is in the price already</template
      >.
    </p>
  </template>
  <p v-for="note in due.notes" :key="note" class="mute small">{{ note }}</p>
  <p v-if="customs.sample" class="mute small">
    Reckoned with sample tables; your own are brought in under Set-up, Customs.
  </p>
</template>

<style scoped>
.stair {
  list-style: none;
  padding: 0;
  margin: 0 0 4px;
  font-size: 12.5px;
}
.stair li {
  display: grid;
  grid-template: "what sum" auto "track track" auto / minmax(0, 1fr) auto;
  gap: 2px 10px;
  padding: 2px 0;
}
.track {
  grid-area: track;
}
.track {
  position: relative;
  height: 6px;
  background: var(--line);
}
.track i {
  position: absolute;
  top: 0;
  bottom: 0;
  background: var(--mute);
}
.track i.duty,
.track i.tax,
.track i.fee {
  background: var(--wheat-line);
}
</style>
