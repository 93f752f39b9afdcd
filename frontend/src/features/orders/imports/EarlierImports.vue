<script setup lang="ts">
import { DataTable } from "../../../shared/ui";
import { useQuery } from "@tanstack/vue-query";
import { importsQuery } from "../queries";

const { data: earlier } = useQuery(importsQuery);
</script>

<template>
  <DataTable
    v-if="earlier?.length"
    label="Earlier imports"
    :columns="['Earlier imports', 'Is', { title: 'Orders', figure: true }, '']"
    :rows="earlier"
    :row-key="(i) => i.id"
    ><template #row="{ row: i }">
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
    </template></DataTable
  >
</template>
