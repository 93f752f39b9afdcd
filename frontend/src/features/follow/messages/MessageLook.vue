<script setup lang="ts">
import { type Rules } from "./queries";
import { useMe } from "../../../shared/session";

/** In which colour and language they go; for all channels together: when nobody is written to, how many go at once. */
const body = defineModel<Rules>({ required: true });
defineProps<{ channel: string; languages: string[] }>();
const { may } = useMe();
const LANGUAGES = new Intl.DisplayNames("en-GB", { type: "language" });
const set = (part: Partial<Rules>) => (body.value = { ...body.value, ...part });
const figure = (text: string) => (/^\d{1,6}$/.test(text.trim()) ? Number(text) : 0);
</script>

<template>
  <div class="form-grid look">
    <v-select
      class="w6"
      label="Language"
      :model-value="body.language ?? ''"
      :items="[
        { value: '', title: 'That of the country it goes to' },
        ...languages.map((one) => ({ value: one, title: LANGUAGES.of(one) })),
      ]"
      :disabled="!may()"
      @update:model-value="set({ language: $event ?? '' })"
    />
    <v-text-field
      class="w6"
      label="Colour of the mails"
      placeholder="#7a2e54"
      :model-value="body.colour ?? ''"
      :disabled="!may()"
      @change="set({ colour: $event.target.value.trim() })"
    >
      <template #append-inner
        ><input
          type="color"
          aria-label="Choose a colour"
          :value="body.colour || '#7a2e54'"
          :disabled="!may()"
          @change="set({ colour: ($event.target as HTMLInputElement).value })"
      /></template>
    </v-text-field>
    <template v-if="!channel">
      <v-text-field
        class="w3"
        label="Quiet from"
        placeholder="21:00"
        :model-value="body.quiet_from ?? ''"
        :disabled="!may()"
        @change="set({ quiet_from: $event.target.value.trim() })"
      />
      <v-text-field
        class="w3"
        label="Quiet until"
        placeholder="08:00"
        :model-value="body.quiet_until ?? ''"
        :disabled="!may()"
        @change="set({ quiet_until: $event.target.value.trim() })"
      />
      <v-text-field
        class="w6"
        label="Hold when more would go at once than"
        placeholder="1000"
        inputmode="numeric"
        :model-value="body.hold_over || ''"
        :disabled="!may()"
        @change="set({ hold_over: figure($event.target.value) })"
      />
    </template>
  </div>
</template>

<style scoped>
.look {
  margin-top: 14px;
}
input[type="color"] {
  width: 30px;
  height: 26px;
  padding: 0;
  background: none;
  border: 0;
}
</style>
