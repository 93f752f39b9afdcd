<script setup lang="ts">
import OfferForm from "./OfferForm.vue";
import OfferSentence from "./OfferSentence.vue";
import { nameOf, whereText, type Known, type Offer } from "./offers";
import { country } from "../../../shared/format";
import { SentencePart } from "../../../shared/ui";

/** One offer: its name, where it holds, its sentence; opened, everything about it. */
const props = defineProps<{
  offer: Offer;
  first: boolean;
  open: boolean;
  known: Known;
  editable: boolean;
}>();
const emit = defineEmits<{ change: [offer: Offer]; open: []; higher: []; remove: [] }>();
function rename(name: string): void {
  if (name) emit("change", { ...props.offer, names: { ...props.offer.names, en: name } });
}
</script>

<template>
  <article class="panel offer" :class="{ chosen: open, off: offer.on === false }">
    <div class="top">
      <SentencePart
        class="name"
        :model-value="nameOf(offer)"
        label="Name"
        :width="24"
        @update:model-value="rename"
      />
      <span class="small mute">{{ whereText(offer, country) }}</span>
    </div>
    <OfferSentence
      :offer="offer"
      :known="known"
      :editable="editable"
      @change="emit('change', $event)"
    />
    <p v-if="editable" class="acts small">
      <button type="button" class="link" :aria-expanded="open" @click="emit('open')">
        {{ open ? "Less" : "Everything about it" }}
      </button>
      <button
        type="button"
        class="link"
        @click="emit('change', { ...offer, on: offer.on === false })"
      >
        {{ offer.on === false ? "Switch on" : "Switch off" }}
      </button>
      <button
        v-if="!first"
        type="button"
        class="link"
        :aria-label="`Higher: ${nameOf(offer)}`"
        @click="emit('higher')"
      >
        Higher
      </button>
      <button
        type="button"
        class="link"
        :aria-label="`Take away ${nameOf(offer)}`"
        @click="emit('remove')"
      >
        Take away
      </button>
    </p>
    <OfferForm
      v-if="open && editable"
      :offer="offer"
      :known="known"
      @change="emit('change', $event)"
    />
  </article>
</template>

<style scoped>
.offer {
  margin-bottom: 8px;
  padding: 10px 14px;
}
.offer.chosen {
  border-color: var(--mul);
}
.offer.off .name {
  color: var(--mute);
}
.top {
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
.name {
  font-weight: 650;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
  margin: 6px 0 0;
}
</style>
