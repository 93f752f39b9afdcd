<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { rehearsePromiseQuery } from "../queries";
import { count, money } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { recipesQuery, linkPromise } from "../../shape";
import type { OrderRow } from "../queries";
import { FormDialog } from "../../../shared/ui";

const props = defineProps<{ row: OrderRow }>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const { currency } = useMe();
const { data: recipes } = useQuery(recipesQuery);
const recipe = ref<string | null>(null);
const { data: would, error: unsure } = useQuery(
  computed(() => rehearsePromiseQuery(props.row.promise, recipe.value)),
);
const save = useMutation({
  mutationFn: () => linkPromise({ promise: props.row.promise, recipe: recipe.value }),
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
  <FormDialog
    title="Link a promise"
    :width="560"
    :error="save.error.value ?? unsure"
    @close="emit('close')"
    @send="save.mutate()"
  >
    <template #title>“{{ row.promise }}”</template>
    <p class="mute">
      The buyer chose and paid for this. Link it once: orders that wait with the same words follow,
      and all later ones.
    </p>
    <v-select
      v-model="recipe"
      v-first
      label="Recipe"
      :items="(recipes ?? []).map((r) => ({ title: r.name, value: r.code }))"
      no-data-text="No recipe yet. Make one on the Recipes page."
    />
    <p v-if="would" class="note" role="status">
      Of {{ count(would.waiting, "waiting order") }}, <b>{{ would.changed }} will change</b>:
      {{ money(would.before_minor, currency) }} before,
      {{ money(would.after_minor, currency) }} after.
    </p>
    <template #beside
      ><RouterLink class="link" to="/recipes">Recipes</RouterLink><span class="grow"
    /></template>
    <template #actions
      ><v-btn type="submit" :disabled="!recipe" :loading="save.isPending.value"
        >Link it{{ would ? ` and change ${count(would.changed, "order")}` : "" }}</v-btn
      ></template
    >
  </FormDialog>
</template>
