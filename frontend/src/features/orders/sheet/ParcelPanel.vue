<script setup lang="ts">
import { computed } from "vue";
import { centimetres, kilograms } from "../../../shared/format";
import type { Sheet } from "../queries";

/** One parcel as it is packed: its box, what is in it, and what makes up its weight. */
const props = defineProps<{
  parcel: Sheet["parcels"][number];
  place: number;
  of: number;
  lines: Sheet["lines"];
}>();
const inside = computed(() =>
  props.parcel.contents
    .map(([line, n]) => `${n} × ${props.lines.find((l) => l.id === line)?.name ?? ""}`)
    .join(", "),
);
</script>

<template>
  <div class="parcel">
    <div class="between">
      <b>Parcel {{ place }} of {{ of }}</b
      ><span>{{ parcel.name }}</span>
    </div>
    <div class="mute small">
      {{ centimetres(parcel.sides_mm) }} · fills {{ parcel.fill_percent }} %<template v-if="of > 1">
        · {{ inside }}</template
      >
    </div>
    <div class="parts" aria-hidden="true">
      <i class="goods" :style="{ flex: parcel.goods_g }" /><i
        class="own"
        :style="{ flex: parcel.packaging_g }"
      /><i class="pad" :style="{ flex: parcel.padding_g }" />
    </div>
    <div class="small">
      goods {{ kilograms(parcel.goods_g) }} + packaging {{ kilograms(parcel.packaging_g) }} +
      padding {{ kilograms(parcel.padding_g) }} = <b>{{ kilograms(parcel.gross_g) }} gross</b>
    </div>
  </div>
</template>

<style scoped>
.between {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
.parcel {
  border: 1px solid var(--line);
  background: var(--paper);
  padding: 9px 12px;
  margin-bottom: 8px;
}
.parts {
  display: flex;
  height: 6px;
  gap: 1px;
  margin: 6px 0 4px;
}
.parts i {
  display: block;
}
.goods {
  background: var(--mul);
}
.own {
  background: var(--mul);
  opacity: 0.55;
}
.pad {
  background: var(--mul);
  opacity: 0.25;
}
</style>
