<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { importsQuery } from "../queries";

const { data: earlier } = useQuery(importsQuery);
</script>

<template>
  <table v-if="earlier?.length" class="plain-table panel" aria-label="Earlier imports">
    <thead>
      <tr>
        <th>Earlier imports</th>
        <th>Is</th>
        <th class="right">Orders</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="i in earlier" :key="i.id">
        <td>{{ i.file_name }}</td>
        <td>
          {{
            {
              mapping: "not imported yet",
              running: "being imported",
              done: "imported",
              undone: "taken back",
            }[i.state] ?? i.state
          }}
        </td>
        <td class="right">{{ i.made }}</td>
        <td class="right">
          <RouterLink class="link" :to="`/import/${i.id}`">Open</RouterLink>
        </td>
      </tr>
    </tbody>
  </table>
</template>
