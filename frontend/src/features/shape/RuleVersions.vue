<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { dayAndClock } from "../../shared/format";
import { useMe } from "../../shared/session";
import { DataTable, ErrorNote } from "../../shared/ui";
import { restoreRules, rulesQuery, versionsQuery } from "./queries";

/** The versions of the rules; an earlier one can be brought back, as a new version. */
const emit = defineEmits<{ restored: [] }>();
const client = useQueryClient();
const { zone, may } = useMe();
const { data: inForce } = useQuery(rulesQuery);
const { data: versions } = useQuery(versionsQuery);
const restore = useMutation({
  mutationFn: restoreRules,
  onSuccess: async () => {
    await client.refetchQueries({ queryKey: ["rules"] });
    emit("restored");
    await client.invalidateQueries();
  },
});
</script>

<template>
  <div>
    <ErrorNote :error="restore.error.value" />
    <DataTable
      label="Versions"
      :columns="['Version', 'Saved', 'By', 'Rules', 'Note', '']"
      :rows="versions"
      :row-key="(v) => v.id"
      none="No version was saved yet."
      class="versions"
      ><template #row="{ row: v }">
        <td>{{ v.id }}{{ v.id === inForce?.version ? ", in force" : "" }}</td>
        <td>{{ dayAndClock(v.created_at, zone) }}</td>
        <td>{{ v.who }}</td>
        <td>{{ v.count }}</td>
        <td>{{ v.note }}</td>
        <td class="right">
          <button
            v-if="may() && v.id !== inForce?.version"
            class="link"
            type="button"
            @click="restore.mutate(v.id)"
          >
            Bring this back
          </button>
        </td>
      </template></DataTable
    >
  </div>
</template>

<style scoped>
.versions {
  margin-bottom: 14px;
}
</style>
