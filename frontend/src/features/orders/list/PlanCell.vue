<script setup lang="ts">
import { count, day, trackingWords } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import type { OrderRow } from "../queries";
import { late, stateWords } from "./grouping";

/** How an order will go, or went; or what stands against it, with the way to mend it. */
defineProps<{ row: OrderRow; current: boolean }>();
const emit = defineEmits<{ fix: []; why: [] }>();
const { may } = useMe();
</script>

<template>
  <template v-if="row.buying"><span class="press">Being bought…</span></template>
  <template v-else-if="row.state !== 'open'"
    ><span class="one"
      ><span v-if="row.monogram" class="mono-gram">{{ row.monogram }}</span>
      {{ row.service_name ?? stateWords(row.state)
      }}{{ row.state_why ? `: ${row.state_why}` : "" }}</span
    ><button
      v-if="row.snags[0]?.fix === 'difference'"
      class="snag one"
      :class="row.snags[0].level"
      type="button"
      :title="row.snags[0].words"
      @click.stop="emit('fix')"
    >
      {{ row.snags[0].words }}</button
    ><span v-else-if="row.tracking_state" class="one small mute"
      ><b>{{ trackingWords(row.tracking_state) }}</b> ·
      <span class="mono small">{{ row.tracking_numbers[0] }}</span><template
        v-if="row.tracking_numbers.length > 1"
      >
        and {{ count(row.tracking_numbers.length - 1, "more parcel") }}</template
      ></span
    ></template
  >
  <template v-else-if="row.service_name">
    <span class="one"
      >{{ row.packaging }} <span class="arrow">→</span>
      <span class="mono-gram">{{ row.monogram }}</span>
      {{ row.service_name }} <span class="arrow">→</span>
      <span :class="{ press: late(row) }"
        >{{ day(row.arrives) }}{{ late(row) ? ", late" : "" }}</span
      ></span
    >
    <span class="one"
      ><span v-if="row.extras.length" class="small"
        >with
        {{
          row.extras
            .map((e) => (e === "insured" ? "cover by the insurer" : e))
            .join(", ")
            .replaceAll("_", " ")
        }}
        · </span
      ><button v-if="row.snags.length" class="snag warns" type="button" @click.stop="emit('fix')">
        {{ row.snags[0]!.words }}</button
      ><button
        v-else
        class="quiet"
        type="button"
        title="Why this plan (w)"
        @click.stop="emit('why')"
      >
        {{ row.decided_by }}
      </button></span
    >
  </template>
  <template v-else>
    <span class="snag one" :class="row.snags[0]?.level" :title="row.snags[0]?.words">{{
      row.snags[0]?.words ?? "Not planned yet"
    }}</span>
    <button
      v-if="row.snags.length && may('shipper', 'care')"
      class="link fix"
      type="button"
      @click.stop="emit('fix')"
    >
      Fix <span v-if="current" class="key">s</span>
    </button>
    <span v-if="row.snags.length > 1" class="small mute"
      >and {{ count(row.snags.length - 1, "more snag") }}</span
    >
  </template>
</template>

<style scoped>
.one {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.snag {
  font: inherit;
  font-size: 12.5px;
  background: none;
  border: 0;
  padding: 0;
  text-align: left;
}
button.snag {
  cursor: pointer;
}
.arrow {
  color: var(--mute);
  padding: 0 3px;
}
.fix {
  padding: 0 4px;
  min-width: 24px;
  min-height: 24px;
}
</style>
