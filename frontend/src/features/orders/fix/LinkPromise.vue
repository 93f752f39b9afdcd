<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { api, need } from "../../../api/client";
import { count, money } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { recipesQuery } from "../../shape";
import type { OrderRow } from "../queries";
import { ErrorNote } from "../../../shared/ui";

const props = defineProps<{ row: OrderRow }>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const { currency } = useMe();
const { data: recipes } = useQuery(recipesQuery);
const recipe = ref<string | null>(null);
const { data: would, error: unsure } = useQuery({
  queryKey: computed(() => ["rehearsal", "promise", props.row.promise, recipe.value]),
  queryFn: async () =>
    need(
      await api.POST("/api/promises/rehearse", {
        body: { promise: props.row.promise, recipe: recipe.value },
      }),
    ),
  enabled: computed(() => recipe.value !== null),
});
const save = useMutation({
  mutationFn: async () =>
    need(
      await api.PUT("/api/promises", {
        body: { promise: props.row.promise, recipe: recipe.value },
      }),
    ),
  onSuccess: () => {
    void client.invalidateQueries();
    emit("close");
  },
});
watch(recipes, (all) => {
  if (all && !all.length) recipe.value = null;
});
</script>

<template>
  <v-dialog
    :model-value="true"
    max-width="560"
    aria-label="Link a promise"
    @update:model-value="emit('close')"
  >
    <v-card>
      <form @submit.prevent="save.mutate()">
        <div class="dialog-head">“{{ row.promise }}”</div>
        <div class="dialog-body">
          <p class="mute">
            The buyer chose and paid for this. Link it once: orders that wait with the same words
            follow, and all later ones.
          </p>
          <ErrorNote :error="save.error.value ?? unsure" />
          <v-select
            v-model="recipe"
            label="Recipe"
            autofocus
            :items="(recipes ?? []).map((r) => ({ title: r.name, value: r.code }))"
            no-data-text="No recipe yet. Make one on the Recipes page."
          />
          <p v-if="would" class="note" role="status">
            Of {{ count(would.waiting, "waiting order") }}, <b>{{ would.changed }} will change</b>:
            {{ money(would.before_minor, currency) }} before,
            {{ money(would.after_minor, currency) }} after.
          </p>
        </div>
        <div class="dialog-actions">
          <RouterLink class="link" to="/recipes">Recipes</RouterLink><span class="grow" /><v-btn
            variant="text"
            @click="emit('close')"
            >Not now</v-btn
          ><v-btn type="submit" :disabled="!recipe" :loading="save.isPending.value"
            >Link it{{ would ? ` and change ${count(would.changed, "order")}` : "" }}</v-btn
          >
        </div>
      </form>
    </v-card>
  </v-dialog>
</template>
