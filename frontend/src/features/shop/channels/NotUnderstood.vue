<script setup lang="ts">
import type { Schemas } from "../../../api/client";
import { count, dayAndClock } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DataTable } from "../../../shared/ui";

/** Orders of a channel that could not be read: kept whole, with the reason, until they come in order. */
defineProps<{ aside: Schemas["AsideOut"] }>();
const { zone } = useMe();
</script>

<template>
  <h2>Not understood</h2>
  <p class="mute small">
    {{ count(aside.unreadable, "order") }} could not be read and
    {{ aside.unreadable === 1 ? "is" : "are" }} kept whole here; each comes in by itself once the
    channel sends it in order.
  </p>
  <DataTable
    label="Not understood"
    :columns="['When', 'Order', 'Why', 'All that was said']"
    :rows="aside.orders"
    :row-key="(o) => o.number"
    ><template #row="{ row: o }">
      <td class="when">{{ dayAndClock(o.at, zone) }}</td>
      <td class="mono">{{ o.number }}</td>
      <td>{{ o.why }}</td>
      <td>
        <details>
          <summary>Show</summary>
          <pre class="small">{{ JSON.stringify(o.body, null, 1) }}</pre>
        </details>
      </td>
    </template></DataTable
  >
</template>

<style scoped>
.when {
  white-space: nowrap;
}
</style>
