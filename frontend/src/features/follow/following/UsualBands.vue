<script setup lang="ts">
import { computed, ref } from "vue";
import type { Band } from "./queries";
import { count, groupWords } from "../../../shared/format";

/** Usual against now: per service and destination the days in which half and nine in ten arrive, each parcel under way a dot. */
const props = defineProps<{ bands: Band[]; monograms: Record<string, string>; chosen?: number }>();
const emit = defineEmits<{ pick: [shipment: number] }>();
const SHOWN = 4;
const all = ref(false);
const troubled = (b: Band) => b.parcels.some((p) => p.trouble);
/** Where something is wrong stands above what goes as it should. */
const sorted = computed(() => [
  ...props.bands.filter(troubled),
  ...props.bands.filter((b) => !troubled(b)),
]);
const shown = computed(() => (all.value ? sorted.value : sorted.value.slice(0, SHOWN)));
const rest = computed(() => sorted.value.slice(SHOWN));
const days = (tenths: number) => String(tenths / 10);
const most = computed(() => {
  const ends = props.bands.flatMap((b) => [
    (b.usual?.nine_in_ten ?? 0) * 1.4,
    ...b.parcels.map((p) => p.tenths),
  ]);
  return Math.max(40, Math.ceil(Math.max(...ends, 0) / 20) * 20);
});
const left = (tenths: number) => `${Math.min((tenths / most.value) * 100, 100)}%`;
/** Dots that lie at one day are spread over the height, each always at its own place. */
const top = (id: number) => `${18 + ((id * 37) % 5) * 16}%`;
const ticks = computed(() =>
  Array.from({ length: Math.floor(most.value / 20) }, (_, n) => (n + 1) * 2),
);
function wrong(b: Band): string {
  const many = b.parcels.filter((p) => p.trouble).length;
  if (many) return `${many} to look at`;
  return b.usual ? "as usual" : "";
}
const beyond = (b: Band, tenths: number) => !!b.usual && tenths > b.usual.nine_in_ten;
</script>

<template>
  <section class="panel bands" aria-label="Usual against now">
    <div v-for="b in shown" :key="`${b.service} ${b.destination}`" class="band">
      <div>
        <span class="mono-gram">{{ monograms[b.carrier] ?? "" }}</span>
        <b>{{ b.service_name }}</b>, {{ groupWords(b.destination) }}
        <p class="small mute">
          {{ b.parcels.length }} under way ·
          <template v-if="b.usual"
            >half {{ days(b.usual.median) }}, nine in ten
            {{ days(b.usual.nine_in_ten) }} days</template
          >
          <template v-else>too few came to say</template>
        </p>
      </div>
      <div class="lane">
        <template v-if="b.usual">
          <span class="nine" :style="{ width: left(b.usual.nine_in_ten) }" />
          <span class="half" :style="{ width: left(b.usual.median) }" />
        </template>
        <!-- Dots are for the mouse: every parcel that needs somebody is in the list, which keys reach. -->
        <span
          v-for="p in b.parcels"
          :key="p.label_id"
          class="dot"
          aria-hidden="true"
          :class="{ bad: p.trouble, slow: beyond(b, p.tenths), here: p.shipment_id === chosen }"
          :style="{ left: left(p.tenths), top: top(p.label_id) }"
          :title="`${p.order_number}, ${days(p.tenths)} days${p.trouble ? `: ${p.trouble.words}` : ''}`"
          @click="emit('pick', p.shipment_id)"
        />
      </div>
      <span class="nowrap" :class="troubled(b) ? 'stop' : 'fine'">{{ wrong(b) }}</span>
    </div>
    <div class="band axis small mute">
      <span /><span class="lane"
        ><span class="tick" style="left: 0">handed over</span
        ><span v-for="t in ticks" :key="t" class="tick" :style="{ left: left(t * 10) }"
          >{{ t }}{{ t === ticks.at(-1) ? " working days" : "" }}</span
        ></span
      ><span />
    </div>
    <button v-if="rest.length" type="button" class="link" @click="all = !all">
      {{
        all
          ? "Show fewer"
          : `${rest.length} more services and destinations, ${count(
              rest.reduce((n, b) => n + b.parcels.length, 0),
              "parcel",
            )}`
      }}
    </button>
  </section>
</template>

<style scoped>
.bands {
  padding: 4px 14px 8px;
}
.band {
  display: grid;
  grid-template-columns: 300px minmax(0, 1fr) 90px;
  gap: 16px;
  align-items: center;
  padding: 3px 0;
  border-bottom: 1px solid var(--line);
}
.band p {
  margin: 0;
}
.band > :last-child {
  text-align: right;
}
.lane {
  position: relative;
  height: 38px;
}
.half,
.nine {
  position: absolute;
  left: 0;
  top: 0;
  bottom: 0;
}
.half {
  background: var(--leaf-soft);
}
.nine {
  background: var(--soft);
  border-right: 2px solid var(--mute);
}
.dot {
  position: absolute;
  width: 8px;
  height: 8px;
  margin: -4px 0 0 -4px;
  padding: 0;
  border: 0;
  border-radius: 50%;
  background: var(--mute);
  opacity: 0.65;
  cursor: pointer;
}
.dot.slow {
  background: var(--wheat-line);
  opacity: 1;
}
.dot.bad {
  width: 12px;
  height: 12px;
  margin: -6px 0 0 -6px;
  background: var(--brick);
  opacity: 1;
  border-radius: 2px;
  transform: rotate(45deg);
}
.dot.here {
  outline: 2px solid var(--mul);
  outline-offset: 2px;
}
.axis {
  border: 0;
  padding: 0;
}
.axis .lane {
  height: 18px;
}
.tick {
  position: absolute;
  white-space: nowrap;
}
@media (max-width: 1100px) {
  .band {
    grid-template-columns: 230px minmax(0, 1fr) 80px;
  }
}
</style>
