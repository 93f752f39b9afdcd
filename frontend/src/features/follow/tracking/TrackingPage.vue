<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { useRoute } from "vue-router";
import { trackingQuery } from "../queries";
import { day, dayAndClock, trackingWords } from "../../../shared/format";
import { ErrorNote } from "../../../shared/ui";

const route = useRoute();
const key = String(route.params.key);
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
const { data, error, isPending } = useQuery(trackingQuery(key));
</script>

<template>
  <main class="public">
    <p v-if="isPending" class="empty">Looking for your parcel…</p>
    <ErrorNote v-else-if="error" :error="error" />
    <template v-else-if="data">
      <p class="mute">{{ data.shop }}</p>
      <h1>{{ trackingWords(data.state) }}</h1>
      <p v-if="data.state !== 'delivered'">
        Expected by <b>{{ day(data.arrives) }}</b>
      </p>
      <p class="mute">
        Order {{ data.order_number }} · {{ data.carrier }}, {{ data.service_name }}
      </p>
      <p v-for="n in data.tracking_numbers" :key="n" class="mono">{{ n }}</p>
      <ol>
        <li v-for="e in data.events" :key="e.at + e.state">
          <b>{{ e.words }}</b><br /><span class="mute"
            >{{ dayAndClock(e.at, zone) }}{{ e.spot ? `, ${e.spot}` : "" }}</span
          >
        </li>
        <li v-if="!data.events.length" class="mute">
          The carrier has not reported yet. Look again this evening.
        </li>
      </ol>
    </template>
  </main>
</template>

<style scoped>
.public {
  max-width: 460px;
  margin: 0 auto;
  padding: 36px 20px;
  font-size: 16px;
  height: 100vh;
  overflow: auto;
}
h1 {
  font-size: 28px;
}
ol {
  list-style: none;
  padding: 0;
  margin: 20px 0;
  border-left: 2px solid var(--mul);
}
li {
  padding: 6px 0 10px 16px;
}
</style>
