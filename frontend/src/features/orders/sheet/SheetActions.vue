<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { dayAndClock } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { FormDialog } from "../../../shared/ui";
import { keepRecipe, recipesQuery } from "../../shape";
import { historyQuery, type Sheet } from "../queries";

/** What is done to an order now and then, in one menu, so that the column beside it stays with its parcels and price. */
const props = defineProps<{ sheet: Sheet; editable: boolean }>();
const emit = defineEmits<{ undo: []; tender: [boolean] }>();
const client = useQueryClient();
const { zone, may } = useMe();
const row = computed(() => props.sheet.row);
const looking = ref(false);
const { data: past } = useQuery(
  computed(() => ({ ...historyQuery(row.value.id), enabled: looking.value })),
);
const naming = ref(false);
const name = ref("");
const keep = useMutation({
  mutationFn: () => keepRecipe(row.value.id, name.value),
  onSuccess: () => {
    naming.value = false;
    name.value = "";
    void client.invalidateQueries({ queryKey: recipesQuery.queryKey });
  },
});
const trial = computed(
  () => row.value.service && row.value.state === "open" && may("shipper", "packer"),
);
</script>

<template>
  <p class="row-of">
    <button v-if="editable && sheet.can_undo" class="link" type="button" @click="emit('undo')">
      {{ sheet.undo_by ? `Undo what ${sheet.undo_by} did` : "Undo" }}: {{ sheet.can_undo }}
    </button>
    <v-menu>
      <template #activator="{ props: menu }">
        <v-btn v-bind="menu" variant="outlined" size="small">More for this order</v-btn>
      </template>
      <v-list density="compact">
        <v-list-item
          v-if="trial"
          title="Test label, costs nothing"
          :href="`/api/orders/${row.id}/test-label.pdf`"
          target="_blank"
        />
        <v-list-item
          v-if="may('shipper')"
          title="A shipment like this"
          :to="`/orders/new?like=${row.id}`"
        />
        <v-list-item
          v-if="may('shipper') && row.service"
          title="Keep this as a recipe"
          @click="naming = true"
        />
        <v-list-item
          v-if="editable"
          :title="
            sheet.hand.not_stackable
              ? 'Others may lie on its parcels again'
              : 'Nothing may lie on its parcels'
          "
          @click="emit('tender', !sheet.hand.not_stackable)"
        />
        <v-list-item
          :title="looking ? 'Hide the history' : 'History'"
          @click="looking = !looking"
        />
      </v-list>
    </v-menu>
    <span v-if="keep.data.value" class="fine small" role="status">kept as a recipe</span>
  </p>
  <ul v-if="looking" class="history" aria-label="History">
    <li v-for="h in past ?? []" :key="h.id">
      <span class="mute">{{ dayAndClock(h.at, zone) }}</span> {{ h.who }}: {{ h.what }}
    </li>
    <li v-if="past && !past.length" class="mute">Nothing was changed by hand.</li>
  </ul>
  <FormDialog
    v-if="naming"
    title="Keep this as a recipe"
    :error="keep.error.value"
    @close="naming = false"
    @send="keep.mutate()"
  >
    <v-text-field v-model="name" v-first label="Name of the recipe" maxlength="80" required />
    <template #actions>
      <v-btn type="submit" :loading="keep.isPending.value">Keep the recipe</v-btn>
    </template>
  </FormDialog>
</template>

<style scoped>
.row-of {
  margin-top: 10px;
}
.history {
  list-style: none;
  margin: 4px 0;
  padding: 0;
  font-size: 12px;
}
</style>
