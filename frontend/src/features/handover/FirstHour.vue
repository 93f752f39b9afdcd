<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, onMounted, ref, watch } from "vue";
import { type Schemas } from "../../api/client";
import { useMe } from "../../shared/session";
import { ErrorNote } from "../../shared/ui";
import { bringSamples } from "./queries";

/** What a new shop sets up before its first label, in the order of need. */
const props = defineProps<{ steps: Schemas["StepOut"][] }>();
const emit = defineEmits<{ leave: [] }>();
const client = useQueryClient();
const { may } = useMe();
const WORDS: Record<Schemas["StepOut"]["code"], { what: string; why: string; to: string }> = {
  place: {
    what: "Where parcels leave from",
    why: "It is the sender on every label, and prices count from there.",
    to: "/set-up/places",
  },
  packaging: {
    what: "Cartons and bags",
    why: "The smallest that everything fits into is chosen; its weight and size are priced.",
    to: "/set-up/packaging",
  },
  carrier: {
    what: "A carrier and its prices",
    why: "A price list is enough: zones and weight steps, as a file or typed.",
    to: "/set-up/carriers",
  },
  orders: {
    what: "How orders come in",
    why: "From a spreadsheet, from a store or marketplace, or typed by hand.",
    to: "/import",
  },
  printer: {
    what: "A printer",
    why: "Until there is one, labels print from the browser.",
    to: "/set-up/printing",
  },
  mail: {
    what: "A mail server",
    why: "Buyers are told that their parcel is on its way.",
    to: "/set-up/shop",
  },
  products: {
    what: "Products",
    why: "Weights and sizes by SKU; the catalogue also grows by itself.",
    to: "/set-up/products",
  },
};
const next = computed(() => props.steps.find((step) => !step.done));
const left = computed(() => props.steps.filter((step) => step.needed && !step.done).length);
const ready = computed(
  () => next.value?.code === "orders" && props.steps.every((s) => s.done || s.code !== "place"),
);
/** The next thing is one Enter away. */
const forward = ref<{ $el: HTMLElement }[]>([]);
watch(forward, ([button]) => button?.$el.focus(), { deep: true, flush: "post" });
onMounted(() => forward.value[0]?.$el.focus());
const samples = useMutation({
  mutationFn: bringSamples,
  onSuccess: () => client.invalidateQueries(),
});
</script>

<template>
  <div class="head">
    <div>
      <h1>{{ left ? "Before the first label" : "Setting up" }}</h1>
      <p class="mute sub">
        <template v-if="left"
          >{{ left === 1 ? "One more thing is" : `${left} things are` }} needed; what comes after
          them can wait.</template
        >
        <template v-else>Labels can be bought. What is left can wait.</template>
      </p>
    </div>
    <span class="grow" />
    <button class="link" type="button" @click="emit('leave')">Show the day instead</button>
  </div>
  <ErrorNote :error="samples.error.value" />
  <ol class="panel steps">
    <li v-for="step in steps" :key="step.code" :class="{ next: step === next }">
      <span class="mark" :class="{ fine: step.done }">{{ step.done ? "✓" : "" }}</span>
      <div>
        <b>{{ WORDS[step.code].what }}</b>
        <span v-if="!step.needed" class="mute small"> can wait</span>
        <p class="mute small why">{{ WORDS[step.code].why }}</p>
      </div>
      <span v-if="step.done" class="fine small">done</span>
      <template v-else>
        <v-btn v-if="step === next" ref="forward" :to="WORDS[step.code].to">Set it up</v-btn>
        <RouterLink v-else class="link" :to="WORDS[step.code].to">Set it up</RouterLink>
      </template>
    </li>
  </ol>
  <p v-if="ready && may('shipper')" class="mute">
    No orders at hand?
    <button class="link" type="button" @click="samples.mutate()">Take six sample orders</button>
    to look around; they can be taken away again.
  </p>
</template>

<style scoped>
.steps {
  list-style: none;
  padding: 0;
  max-width: 820px;
}
.steps li {
  display: grid;
  grid-template-columns: 26px 1fr auto;
  gap: 10px;
  align-items: center;
  padding: 10px 16px;
  border-bottom: 1px solid var(--line);
}
.steps li:last-child {
  border-bottom: 0;
}
.next {
  background: var(--mul-soft);
}
.mark {
  width: 20px;
  height: 20px;
  border: 1px solid var(--line);
  text-align: center;
  line-height: 18px;
}
.why {
  margin: 0;
}
</style>
