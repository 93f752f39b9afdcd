<script setup lang="ts">
import { computed, ref } from "vue";

/** A field to sign in with a finger or a mouse; the drawing is kept as the path of an SVG, in a box of 400 × 120. */
const path = defineModel<string>({ required: true });
const WIDE = 400;
const HIGH = 120;
const MOST = 60_000;
const drawing = ref(false);
const box = ref<SVGSVGElement | null>(null);
const full = computed(() => path.value.length > MOST - 20);
function at(event: PointerEvent): string {
  const edge = box.value!.getBoundingClientRect();
  const x = ((event.clientX - edge.left) / edge.width) * WIDE;
  const y = ((event.clientY - edge.top) / edge.height) * HIGH;
  return `${x.toFixed(1)} ${y.toFixed(1)}`;
}
function start(event: PointerEvent): void {
  drawing.value = true;
  box.value!.setPointerCapture(event.pointerId);
  path.value += `M${at(event)} `;
}
function move(event: PointerEvent): void {
  if (drawing.value && !full.value) path.value += `L${at(event)} `;
}
</script>

<template>
  <div class="sign">
    <svg
      ref="box"
      :viewBox="`0 0 ${WIDE} ${HIGH}`"
      role="img"
      aria-label="The driver's signature"
      @pointerdown.prevent="start"
      @pointermove="move"
      @pointerup="drawing = false"
      @pointercancel="drawing = false"
    >
      <path :d="path" fill="none" stroke="currentcolor" stroke-width="2" stroke-linecap="round" />
    </svg>
    <p class="small mute">
      The driver may sign here.
      <button v-if="path" type="button" class="link" @click="path = ''">Clear it</button>
    </p>
  </div>
</template>

<style scoped>
.sign svg {
  width: 100%;
  max-width: 400px;
  aspect-ratio: 400 / 120;
  touch-action: none;
  background: var(--sheet);
  border: 1px solid var(--line);
}
</style>
