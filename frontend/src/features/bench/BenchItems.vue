<script setup lang="ts">
import { nextTick, ref, watch } from "vue";
import { type Schemas } from "../../api/client";

/** What goes into the parcel: done, next, still to come; the next one stands out and is always in sight. */
const props = defineProps<{
  lines: Schemas["BenchLineOut"][];
  boxes: string[];
  parcel: number;
}>();
const list = ref<HTMLUListElement | null>(null);
const begins = (i: number) =>
  props.boxes.length > 1 && (i === 0 || props.lines[i - 1]!.parcel !== props.lines[i]!.parcel);
watch(
  () => props.lines,
  async () => {
    await nextTick();
    list.value?.querySelector(".next")?.scrollIntoView({ block: "nearest" });
  },
  { immediate: true },
);
</script>

<template>
  <ul ref="list" class="items" aria-label="What goes into the parcel" tabindex="-1">
    <template v-for="(l, i) in lines" :key="i">
      <li v-if="begins(i)" class="parcel">
        Parcel {{ l.parcel }} of {{ boxes.length }}: {{ boxes[l.parcel - 1] }}
      </li>
      <li class="line" :class="{ next: l.next, done: l.counted === l.pieces && !l.next }">
        <span class="left">{{
          l.counted === l.pieces && !l.next ? "✓" : l.pieces - l.counted
        }}</span>
        <span>
          <span class="what">{{ l.name }}</span>
          <span class="code"
            >{{ l.sku }}<template v-if="l.shelf"> · shelf {{ l.shelf }}</template
            ><template v-if="l.confirms"> · no barcode</template></span
          >
        </span>
        <span>{{ l.counted }} of {{ l.pieces }}</span>
      </li>
    </template>
  </ul>
</template>

<style scoped>
.items {
  padding: 0;
  margin: 0;
  overflow: auto;
  list-style: none;
  background: var(--panel);
}
.line {
  display: grid;
  grid-template-columns: 90px minmax(0, 1fr) auto;
  align-items: center;
  padding: 12px 22px;
  font-size: clamp(20px, 1.75vw, 32px);
  border-bottom: 1px solid var(--edge);
}
.parcel {
  padding: 8px 22px;
  font-size: 17px;
  color: var(--dim);
}
.left {
  font-size: 1.4em;
  font-weight: 700;
}
.what {
  display: block;
}
.code {
  font-family: "Atkinson Hyperlegible Mono Variable", monospace;
  font-size: 0.7em;
  color: var(--dim);
}
.done {
  color: var(--good);
}
.next {
  color: #23282e;
  background: #f7f5f2;
}
.next .code {
  color: #5f6468;
}
</style>
