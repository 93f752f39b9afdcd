<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { type Schemas } from "../../api/client";
import { useMe } from "../../shared/session";
import { recipesQuery, vocabularyQuery, saveRecipe, orderRecipes, removeRecipe } from "./queries";
import { DataTable, ErrorNote, FormDialog } from "../../shared/ui";

const client = useQueryClient();
const { may } = useMe();
const { data: recipes, error } = useQuery(recipesQuery);
const { data: vocabulary } = useQuery(vocabularyQuery);
const editing = ref<Schemas["RecipeIn"]>();
const save = useMutation({
  mutationFn: () => saveRecipe(editing.value!),
  onSuccess: () => {
    editing.value = undefined;
    void client.invalidateQueries();
  },
});
const order = useMutation({
  mutationFn: async (codes: string[]) => await orderRecipes({ codes }),
  onSuccess: (sorted) => client.setQueryData(["recipes"], sorted),
});
/** The first nine have a key each, so their order matters. */
function up(place: number): void {
  const codes = (recipes.value ?? []).map((r) => r.code);
  [codes[place - 1], codes[place]] = [codes[place]!, codes[place - 1]!];
  order.mutate(codes);
}
const remove = useMutation({
  mutationFn: async (code: string) => removeRecipe(code),
  onSuccess: () => client.invalidateQueries(),
});
const choices = (from: Record<string, string> | undefined) =>
  Object.entries(from ?? {}).map(([value, title]) => ({ title, value }));
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Recipes</h1>
      <span class="mute"
        >A service, packaging and extras under one name, for promises, products, rules and
        hands</span
      ><span class="grow" /><a
        v-if="recipes?.length && may('shipper', 'packer')"
        class="link"
        href="/api/recipes/barcodes.pdf"
        target="_blank"
        >Barcodes to print</a
      ><v-btn
        v-if="may('shipper')"
        @click="editing = { name: '', service: null, packaging: null, extras: [] }"
        >Add a recipe</v-btn
      >
    </div>
    <ErrorNote :error="remove.error.value" />
    <DataTable
      label="Recipes"
      :error="error"
      :columns="['Recipe', 'Service', 'Packaging', 'Extras', '']"
      :rows="recipes"
      :row-key="(r) => r.code"
      waiting="Fetching the recipes…"
      none="No recipe yet. Make one here, or from an order that goes the way you like."
      ><template #row="{ row: r, index: i }">
        <td>
          <span v-if="i < 9" class="key">{{ i + 1 }}</span> <b>{{ r.name }}</b>
        </td>
        <td>
          {{
            r.service
              ? (vocabulary?.choices.services[r.service] ?? `${r.service}, not on offer now`)
              : "left open"
          }}
        </td>
        <td>
          {{
            r.packaging ? (vocabulary?.choices.packagings[r.packaging] ?? r.packaging) : "left open"
          }}
        </td>
        <td>{{ r.extras.map((e) => e.replaceAll("_", " ")).join(", ") || "none" }}</td>
        <td class="right">
          <template v-if="may('shipper')"
            ><button
              v-if="i"
              class="key"
              type="button"
              :aria-label="`Move ${r.name} up`"
              @click="up(i)"
            >
              ↑</button
            ><button class="link" type="button" @click="editing = { ...r, extras: [...r.extras] }">
              Change</button
            ><button class="link" type="button" @click="remove.mutate(r.code)">
              Remove
            </button></template
          >
        </td>
      </template></DataTable
    >
    <FormDialog
      v-if="editing"
      title="Recipe"
      :width="560"
      :error="save.error.value"
      @close="editing = undefined"
      @send="save.mutate()"
    >
      <template #title>{{ editing.code ? `Change ${editing.name}` : "Add a recipe" }}</template>
      <div class="form-grid">
        <v-text-field
          v-model="editing.name"
          v-first
          class="w6"
          label="Name"
          maxlength="80"
          required
        />
        <v-select
          v-model="editing.service"
          class="w6"
          label="Service"
          clearable
          :items="choices(vocabulary?.choices.services)"
        />
        <v-select
          v-model="editing.packaging"
          class="w6"
          label="Packaging"
          clearable
          :items="choices(vocabulary?.choices.packagings)"
        />
        <v-select
          v-model="editing.extras"
          class="w6"
          label="Extras"
          multiple
          :items="
            (vocabulary?.choices.extras ?? []).map((e) => ({
              title: e.replaceAll('_', ' '),
              value: e,
            }))
          "
        />
      </div>
      <template #actions
        ><v-btn type="submit" :loading="save.isPending.value">Save the recipe</v-btn></template
      >
    </FormDialog>
  </div>
</template>
