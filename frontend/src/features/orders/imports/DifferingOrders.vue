<script setup lang="ts">
import type { Schemas } from "../../../api/client";

/** Orders of the file that are here already with other contents, line by line. */
defineProps<{ differing: Schemas["DifferingOut"][] }>();
</script>

<template>
  <div>
    <h2 class="differs">Here already, and otherwise in the file</h2>
    <p class="mute small">
      Importing lays these before you as a snag of each order, to be taken or refused.
    </p>
    <table class="plain-table" aria-label="Here already, and otherwise in the file">
      <thead>
        <tr>
          <th>Order</th>
          <th>What</th>
          <th>Here</th>
          <th>In the file</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="d in differing" :key="d.number">
          <tr v-for="c in d.changes" :key="c.field">
            <td class="mono">{{ d.number }}</td>
            <td>{{ c.field }}</td>
            <td class="mute">{{ c.before || "–" }}</td>
            <td>{{ c.after || "–" }}</td>
          </tr>
        </template>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.differs {
  margin-top: 18px;
}
</style>
