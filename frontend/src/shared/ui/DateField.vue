<script setup lang="ts">
import { mdiCalendar } from "@mdi/js";
import { computed, ref, watch } from "vue";
import { localDay, longDay, readDay } from "../format";
import { now, useMe } from "../session";

/** A day in the shop's own way of writing it, typed or picked; the model is ISO 8601 (2026-11-24), null for none. */
const day = defineModel<string | null>({ default: null });
const props = defineProps<{ label: string; min?: string; max?: string; clearable?: boolean }>();
defineOptions({ inheritAttrs: true });
const { zone } = useMe();
const typed = ref("");
const open = ref(false);
const wrong = ref("");
watch(day, (iso) => (typed.value = iso ? longDay(iso) : ""), { immediate: true });

function take(): void {
  if (!typed.value.trim()) {
    wrong.value = "";
    day.value = null;
    return;
  }
  const read = readDay(typed.value, localDay(now.value, zone.value));
  wrong.value = read ? outside(read) : "Write a day like 24 Nov or 24.11.2026";
  if (read && !wrong.value) {
    day.value = read;
    typed.value = longDay(read);
  }
}
function outside(iso: string): string {
  if (props.min && iso < props.min) return `Not before ${longDay(props.min)}`;
  if (props.max && iso > props.max) return `Not after ${longDay(props.max)}`;
  return "";
}
const picked = computed({
  get: () => (day.value ? new Date(`${day.value}T00:00:00`) : null),
  set: (date: Date | null) => {
    if (date) day.value = new Intl.DateTimeFormat("en-CA").format(date);
    wrong.value = "";
    open.value = false;
  },
});
</script>

<template>
  <v-text-field
    v-model="typed"
    :label="label"
    :clearable="clearable"
    :error-messages="wrong"
    placeholder="24 Nov"
    autocomplete="off"
    @change="take"
    @keydown.enter="take"
    @click:clear="day = null"
  >
    <template #append-inner>
      <v-menu v-model="open" :close-on-content-click="false">
        <template #activator="{ props: menu }">
          <v-btn
            v-bind="menu"
            :icon="mdiCalendar"
            variant="text"
            density="compact"
            size="small"
            :aria-label="`Pick a day: ${label}`"
          />
        </template>
        <v-date-picker
          v-model="picked"
          :min="min"
          :max="max"
          :first-day-of-week="1"
          hide-header
          show-adjacent-months
        />
      </v-menu>
    </template>
  </v-text-field>
</template>
