<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { type Schemas } from "../../../api/client";
import { count, dayAndClock } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { DataTable, ErrorNote } from "../../../shared/ui";
import { feedsQuery, fetchFeed, removeFeed } from "../queries";
import FeedDialog from "./FeedDialog.vue";

/** Stores that only have an export: where their files are fetched, what the last look brought, one more. */
const client = useQueryClient();
const { zone, may } = useMe();
const { data, error } = useQuery(computed(() => feedsQuery(may("shipper"))));
const editing = ref<Schemas["FeedOut"] | "new">();
const brought = ref("");
const fetch = useMutation({
  mutationFn: fetchFeed,
  onSuccess: (found) => {
    brought.value = found.imports.length
      ? `${count(found.imports.length, "file")} came in.`
      : found.failure || "Nothing new there.";
    void client.invalidateQueries();
  },
});
const remove = useMutation({
  mutationFn: removeFeed,
  onSuccess: () => client.invalidateQueries({ queryKey: ["feeds"] }),
});
const KINDS = { http: "address", folder: "folder", sftp: "folder by SFTP" } as const;
</script>

<template>
  <section class="feeds" aria-label="Orders from files that are fetched">
    <div class="head">
      <h2>Files that are fetched</h2>
      <span class="mute">For stores that only have an export: an address, a folder, SFTP</span>
      <span class="grow" />
      <v-btn v-if="may()" variant="outlined" @click="editing = 'new'">Add a feed</v-btn>
    </div>
    <ErrorNote :error="error ?? fetch.error.value ?? remove.error.value" />
    <p v-if="brought" class="note" role="status">{{ brought }}</p>
    <DataTable
      v-if="data"
      label="Feeds"
      :columns="['Orders come as', 'From', 'Last look', '']"
      :rows="data.feeds"
      :row-key="(f) => f.id"
      none="No file is fetched yet."
      ><template #row="{ row: f }">
        <td>
          <b>{{ f.name }}</b>
        </td>
        <td>
          {{ f.address }}<br /><span class="small mute"
            >{{ KINDS[f.kind] }}, every {{ count(f.every_minutes, "minute") }}</span
          >
        </td>
        <td>
          <span v-if="f.failure" class="stop">{{ f.failure }}</span><span v-else>{{
            f.looked_at ? "read" : "not looked at yet"
          }}</span
          ><template v-if="f.looked_at"
            ><br /><span class="small mute">{{ dayAndClock(f.looked_at, zone) }}</span></template
          >
        </td>
        <td class="right">
          <button class="link" type="button" @click="fetch.mutate(f.id)">Look now</button>
          <template v-if="may()"
            ><button class="link" type="button" @click="editing = f">Change</button
            ><button class="link" type="button" @click="remove.mutate(f.id)">
              Take away
            </button></template
          >
        </td>
      </template></DataTable
    >
    <FeedDialog
      v-if="editing && data"
      :feed="editing === 'new' ? undefined : editing"
      :known="data.known_fields"
      :needed="data.needed"
      :below="data.folders_below"
      @close="editing = undefined"
    />
  </section>
</template>

<style scoped>
.feeds {
  margin-top: 26px;
}
</style>
