<script setup lang="ts">
import { type Schemas } from "../../../api/client";
import { count, dayAndClock } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DataTable } from "../../../shared/ui";
import { COUNTS, said } from "./said";

/** What happened with a channel, newest first: pulls with what they brought and left out, notices, tests. */
defineProps<{ lines: Schemas["LogOut"][] | undefined }>();
const { zone } = useMe();
const leftOut = (line: Schemas["LogOut"]) => line.entries.filter((e) => e.what !== "made").length;
</script>

<template>
  <h2>Log</h2>
  <DataTable
    label="Log"
    :columns="['When', 'What', 'Brought', 'Left out, and why']"
    :rows="lines"
    :row-key="(_, i) => i"
    none="Nothing yet."
    ><template #row="{ row: l }">
      <td class="nowrap">{{ dayAndClock(l.at, zone) }}</td>
      <td>{{ l.kind }}</td>
      <td>
        <span v-if="l.failure" class="stop">{{ l.failure }}</span><template v-else>{{
          l.kind === "pull"
            ? said(l.counts)
            : l.kind === "count"
              ? `${String(l.counts.known)} of ${String(l.counts.theirs)} are known here`
              : ""
        }}</template>
      </td>
      <td class="small">
        <div v-for="e in l.entries.filter((x) => x.what !== 'made').slice(0, 8)" :key="e.number">
          <span class="mono">{{ e.number }}</span> {{ COUNTS[e.what] ?? e.what
          }}{{ e.why ? `: ${e.why}` : "" }}
        </div>
        {{ leftOut(l) > 8 ? `and ${count(leftOut(l) - 8, "more order")}` : "" }}
      </td>
    </template></DataTable
  >
</template>

<style scoped>
.nowrap {
  white-space: nowrap;
}
h2 {
  margin: 4px 0 6px;
}
</style>
