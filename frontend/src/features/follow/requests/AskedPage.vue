<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { useRoute } from "vue-router";
import { askedQuery } from "../queries";
import { ErrorNote } from "../../../shared/ui";

const key = String(useRoute().params.key);
const { data, error, isPending } = useQuery(askedQuery(key));
const STATES: Record<string, string> = {
  asked: "Waiting for a decision",
  approved: "Approved, the label is being bought",
  declined: "Declined",
  labelled: "The label is on its way to you by mail",
};
</script>

<template>
  <main class="public">
    <p v-if="isPending" class="empty">One moment…</p>
    <ErrorNote v-else-if="error" :error="error" />
    <template v-else-if="data">
      <p class="mute">{{ data.shop }}</p>
      <h1>{{ STATES[data.state] }}</h1>
      <p>{{ data.what }} to {{ data.to }}</p>
      <p v-if="data.words" class="note">{{ data.decided_by }}: {{ data.words }}</p>
      <p v-if="data.tracking_path">
        <a class="link" :href="data.tracking_path">Follow the parcel</a>
      </p>
      <p class="mute">Keep this page’s address; it says here what becomes of your request.</p>
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
  font-size: 26px;
}
</style>
