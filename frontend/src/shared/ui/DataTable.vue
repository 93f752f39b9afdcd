<script setup lang="ts" generic="Row extends object">
/** A table of plain facts: headings that machines can read aloud, figures to the right, cells by slots. */
export interface Column {
  key: string;
  title: string;
  figures?: boolean;
  /** The heading is there for those who hear it; eyes need none. */
  unseen?: boolean;
}
defineProps<{
  columns: readonly Column[];
  rows: readonly Row[];
  name: string;
  rowKey: keyof Row;
}>();
defineSlots<Record<string, (scope: { row: Row }) => unknown>>();
</script>

<template>
  <table class="plain-table" :aria-label="name">
    <thead>
      <tr>
        <th v-for="c in columns" :key="c.key" scope="col" :class="{ right: c.figures }">
          <span :class="{ 'visually-hidden': c.unseen }">{{ c.title }}</span>
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="String(row[rowKey])">
        <td v-for="c in columns" :key="c.key" :class="{ right: c.figures }">
          <slot :name="c.key" :row="row">{{ row[c.key as keyof Row] }}</slot>
        </td>
      </tr>
    </tbody>
  </table>
</template>
