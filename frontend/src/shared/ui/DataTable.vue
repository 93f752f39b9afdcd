<script setup lang="ts" generic="Row">
import ErrorNote from "./ErrorNote.vue";

defineOptions({ inheritAttrs: false });
/** A list of things, one to a row: its heads, its cells by the slot `row`, and words while there is nothing to show. */
defineProps<{
  label: string;
  /** The words above the columns; a figure's column stands on the right. */
  columns: readonly (string | { title: string; figure: true })[];
  rows: readonly Row[] | undefined;
  rowKey: (row: Row, index: number) => string | number;
  rowClass?: (row: Row) => Record<string, boolean>;
  /** Why the rows could not be fetched; rows fetched before stay. */
  error?: unknown;
  /** What is said while the rows are on their way. */
  waiting?: string;
  /** What is said where there are none; the slot `empty` can say it at more length. */
  none?: string;
}>();
defineSlots<{
  row(props: { row: Row; index: number }): unknown;
  empty?(): unknown;
}>();
</script>

<template>
  <ErrorNote :error="error" />
  <p v-if="!rows && !error" class="empty">{{ waiting ?? "Fetching…" }}</p>
  <p v-else-if="rows && !rows.length" class="empty panel">
    <slot name="empty">{{ none }}</slot>
  </p>
  <table v-else-if="rows" v-bind="$attrs" class="plain-table panel" :aria-label="label">
    <thead>
      <tr>
        <th
          v-for="(c, i) in columns"
          :key="i"
          scope="col"
          :class="{ right: typeof c !== 'string' }"
        >
          {{ typeof c === "string" ? c : c.title }}
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(row, index) in rows" :key="rowKey(row, index)" :class="rowClass?.(row)">
        <slot name="row" :row="row" :index="index" />
      </tr>
    </tbody>
  </table>
</template>
