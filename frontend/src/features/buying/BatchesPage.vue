<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { refDebounced } from "@vueuse/core";
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { count, dayAndClock, money } from "../../shared/format";
import { useMe } from "../../shared/session";
import BatchDetail from "./BatchDetail.vue";
import { batchesQuery, startBatch, fillBatch } from "./queries";
import { ErrorNote } from "../../shared/ui";

const route = useRoute();
const router = useRouter();
const client = useQueryClient();
const { currency, zone, may } = useMe();
const archived = ref(false);
const typed = ref("");
const settled = refDebounced(typed, 200);
const text = computed(() => settled.value.trim());
const {
  data: batches,
  error,
  isPending,
} = useQuery(computed(() => batchesQuery(archived.value, text.value)));
/** Without a number in the address, the newest is what somebody comes for. */
const openId = computed(() => Number(route.params.id ?? 0) || (batches.value?.[0]?.id ?? 0));
const STATE: Record<string, string> = {
  filling: "not bought yet",
  asked: "bought",
  archived: "put away",
};

const start = useMutation({
  mutationFn: () =>
    startBatch({
      name: "",
      order_ids: [],
      client_key: `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 10)}`,
    }),
  onSuccess: (made) => {
    void client.invalidateQueries({ queryKey: ["batches"] });
    void router.push(`/batches/${made.batch_id}`);
  },
});
const dropping = ref(0);
/** Orders dragged onto a batch: their numbers, as the work list gives them. */
async function dropped(event: DragEvent, id: number): Promise<void> {
  dropping.value = 0;
  const ids = (event.dataTransfer?.getData("text/plain") ?? "")
    .split(",")
    .map(Number)
    .filter(Boolean);
  if (!ids.length) return;
  await fillBatch(id, { order_ids: ids, take_over: false });
  for (const key of ["batch", "batches"]) void client.invalidateQueries({ queryKey: [key] });
}
</script>

<template>
  <div class="batches">
    <aside class="list" aria-label="Batches">
      <div class="head">
        <h1>Batches</h1>
        <span class="grow" /><v-btn
          v-if="may('shipper')"
          :loading="start.isPending.value"
          @click="start.mutate()"
          >Start a batch</v-btn
        >
      </div>
      <div class="find">
        <input
          v-model="typed"
          aria-label="Find a batch"
          placeholder="Name, person, order, tracking number"
        /><button class="chip" type="button" :aria-pressed="archived" @click="archived = !archived">
          Put away
        </button>
      </div>
      <ErrorNote :error="error ?? start.error.value" />
      <p v-if="isPending" class="empty">Fetching the batches…</p>
      <p v-else-if="!batches?.length" class="empty">
        {{
          text
            ? "Nothing is found."
            : archived
              ? "No batch was put away."
              : "No batch yet. Start one and fill it by selecting orders and pressing g, or by scanning their slips."
        }}
      </p>
      <ul v-else>
        <li v-for="b in batches" :key="b.id">
          <RouterLink
            :to="`/batches/${b.id}`"
            :class="{ on: b.id === openId, over: dropping === b.id }"
            @dragover.prevent="dropping = b.state === 'filling' ? b.id : 0"
            @dragleave="dropping = 0"
            @drop.prevent="dropped($event, b.id)"
          >
            <b>{{ b.name }}</b> <span class="mute small">{{ STATE[b.state] }}</span><br />
            <span class="small">
              <template v-if="b.waiting"
                >{{ count(b.waiting, "order") }}, {{ money(b.waiting_minor, currency)
                }}<span v-if="b.snagged" class="stop"> · {{ b.snagged }} stopped</span></template
              >
              <template v-if="b.waiting && b.labels">; </template>
              <template v-if="b.labels"
                >{{ count(b.labels, "label") }} bought, {{ b.printed }} printed</template
              >
              <template v-if="!b.waiting && !b.labels">empty</template>
              <span v-if="b.shipments.failed" class="stop">
                · {{ b.shipments.failed }} failed</span
              > </span
            ><br />
            <span class="mute small">{{ b.person }} · {{ dayAndClock(b.created_at, zone) }}</span>
          </RouterLink>
        </li>
      </ul>
    </aside>
    <BatchDetail v-if="openId" :id="openId" :key="openId" />
    <p v-else class="empty">Choose a batch, or start one.</p>
  </div>
</template>

<style scoped>
.batches {
  display: grid;
  grid-template-columns: 310px minmax(0, 1fr);
  height: 100%;
}
.list {
  border-right: 1px solid var(--line);
  padding: 14px 12px;
  overflow: auto;
  min-height: 0;
}
.find {
  display: flex;
  gap: 6px;
  margin-bottom: 8px;
}
.find input {
  flex: 1;
  min-width: 0;
  font: inherit;
  font-size: 12.5px;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 4px 8px;
  background: var(--sheet);
  color: var(--ink);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li a {
  display: block;
  padding: 8px 10px;
  color: var(--ink);
  text-decoration: none;
  border-bottom: 1px solid var(--line);
  border-left: 3px solid transparent;
  line-height: 1.35;
}
li a.on {
  border-left-color: var(--mul);
  background: var(--mul-soft);
}
li a.over {
  outline: 2px solid var(--mul);
}
@media (max-width: 1100px) {
  .batches {
    grid-template-columns: 240px minmax(0, 1fr);
  }
}
</style>
