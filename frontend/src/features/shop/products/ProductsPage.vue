<script setup lang="ts">
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { refDebounced } from "@vueuse/core";
import { computed, ref } from "vue";
import { bringProducts, countPieces, editProducts, productsQuery } from "../queries";
import { type Schemas } from "../../../api/client";
import { centimetres, count, kilograms, money, number } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { ProductCustoms } from "../../customs";
import { recipesQuery } from "../../shape";
import { DataTable, ErrorNote, FileLink, FormDialog } from "../../../shared/ui";
import { CUSTOMS, FLAGS, FLAG_NAMES, MANY, NUMBERS, TEXTS } from "./fields";
import StockField from "./StockField.vue";

const client = useQueryClient();
const { currency, may } = useMe();
type Product = Schemas["ProductIO"];
const text = ref("");
const missing = ref(false);
const settled = refDebounced(text, 200);
const search = computed(() => settled.value.trim());
const { data, error, hasNextPage, fetchNextPage } = useInfiniteQuery(
  computed(() => productsQuery(search.value, missing.value)),
);
const { data: recipes } = useQuery(recipesQuery);
const products = computed(() => data.value?.pages.flatMap((p) => p.products) ?? []);
const matching = computed(() => data.value?.pages[0]?.matching ?? 0);
const chosen = ref(new Set<string>());
const editing = ref<Product>();
const before = ref<Product>();
const kilo = ref("");
const many = ref<{ field: string; value: string }>();
const parts = ref("");
const onShelf = ref("");
const typed = ref<Record<string, string>>({});
function start(p: Product): void {
  before.value = p;
  editing.value = { ...p, contents: [...p.contents], tags: [...p.tags], parts: [...p.parts] };
  typed.value = Object.fromEntries(
    NUMBERS.map(([k, , , times]) => [k, p[k] === null ? "" : String(Number(p[k]) / times)]),
  );
  onShelf.value = "";
  kilo.value = p.tags.join(", ");
  parts.value = p.parts.join(", ");
}
const words = (text: string) =>
  text
    .split(",")
    .map((t) => t.trim())
    .filter(Boolean);
const file = useMutation({
  mutationFn: bringProducts,
  onSuccess: () => client.invalidateQueries(),
});
const save = useMutation({
  mutationFn: async () => {
    const now = editing.value!,
      was = before.value!;
    const set: Record<string, unknown> = {};
    for (const [key, , , times] of NUMBERS) {
      const plain = typed.value[key]!.trim().replace(",", ".");
      const value = plain === "" ? null : Math.round(Number(plain) * times);
      if (Number.isNaN(value)) throw new Error(`“${typed.value[key]}” is no figure.`);
      if (value !== was[key] && !(value === null && key === "value_minor")) set[key] = value;
    }
    for (const key of [...[...TEXTS, ...FLAGS].map(([key]) => key), ...CUSTOMS])
      if (now[key] !== was[key]) set[key] = now[key];
    if ((now.recipe ?? "") !== was.recipe) set.recipe = now.recipe ?? "";
    const tags = words(kilo.value);
    if (tags.join() !== was.tags.join()) set.tags = tags;
    const made = words(parts.value);
    if (made.join() !== was.parts.join()) set.parts = made;
    const counted = onShelf.value.trim();
    if (counted && !/^\d{1,7}$/.test(counted)) throw new Error(`“${counted}” is no count.`);
    if (counted) await countPieces({ counted: { [was.sku]: Number(counted) } });
    return await editProducts({ skus: [was.sku], set: set as Schemas["ProductChanges"] });
  },
  onSuccess: () => {
    editing.value = undefined;
    void client.invalidateQueries();
  },
});
const saveMany = useMutation({
  mutationFn: async () => {
    const { field, value } = many.value!;
    const set = {
      [field]: FLAG_NAMES.includes(field)
        ? value === "yes"
        : field === "tags"
          ? words(value)
          : value,
    };
    return await editProducts({
      skus: [...chosen.value],
      set: set as unknown as Schemas["ProductChanges"],
    });
  },
  onSuccess: () => {
    many.value = undefined;
    chosen.value = new Set();
    void client.invalidateQueries();
  },
});
function toggle(sku: string): void {
  const next = new Set(chosen.value);
  if (!next.delete(sku)) next.add(sku);
  chosen.value = next;
}
const sides = (p: Product) =>
  p.length_mm && p.width_mm && p.height_mm
    ? centimetres([p.length_mm, p.width_mm, p.height_mm])
    : "";
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Products</h1>
      <span class="mute"
        >{{ count(matching, "product") }}; new ones come by themselves with the orders</span
      ><span class="grow" />
      <button class="chip" type="button" :aria-pressed="missing" @click="missing = !missing">
        Without weight or size
      </button>
      <input
        v-model="text"
        class="search"
        type="search"
        placeholder="SKU, name, shelf"
        aria-label="Search products"
      />
      <a class="link" href="/api/products/file?kind=csv">CSV</a
      ><a class="link" href="/api/products/file?kind=xlsx">XLSX</a>
      <FileLink v-if="may('shipper')" accept=".csv,.xlsx" @file="file.mutate($event)"
        >Bring in a file</FileLink
      >
    </div>
    <ErrorNote :error="file.error.value" />
    <p v-if="file.data.value" class="note" role="status">
      {{ count(file.data.value.made, "new product") }}, {{ file.data.value.known }} changed.
      <template v-if="file.data.value.odd.length"
        >{{ count(file.data.value.odd.length, "row") }} left out:
        {{ file.data.value.odd.slice(0, 4).join("; ") }}</template
      >
    </p>
    <div v-if="chosen.size && may('shipper')" class="note">
      {{ count(chosen.size, "product") }} selected
      <button class="link" type="button" @click="many = { field: 'recipe', value: '' }">
        Change them together
      </button>
      <button class="link" type="button" @click="chosen = new Set()">Unselect</button>
    </div>
    <DataTable
      label="Products"
      :error="error"
      :columns="[
        '',
        'SKU',
        'Name',
        { title: 'Weight', figure: true },
        'Size',
        { title: 'Value', figure: true },
        { title: 'In stock', figure: true },
        'Customs',
        'Handling',
        'Shelf',
        '',
      ]"
      :rows="data && products"
      :row-key="(p) => p.sku"
      waiting="Fetching the products…"
      ><template #empty>{{
        search || missing
          ? "No product like that."
          : "No product yet. They come with the first orders, or from a file."
      }}</template
      ><template #row="{ row: p }">
        <td>
          <v-checkbox-btn
            density="compact"
            color="primary"
            :aria-label="`Select ${p.sku}`"
            :model-value="chosen.has(p.sku)"
            @update:model-value="toggle(p.sku)"
          />
        </td>
        <td class="mono nowrap">{{ p.sku }}</td>
        <td>
          {{ p.name }} <span v-for="t in p.tags" :key="t" class="tag">{{ t }}</span>
        </td>
        <td class="right nowrap">
          <span v-if="p.weight_g">{{ kilograms(p.weight_g) }}</span><span v-else class="stop"
            >none</span
          >
        </td>
        <td class="size">
          <span v-if="sides(p)">{{ sides(p) }}</span><span v-else class="stop">none</span>
        </td>
        <td class="right">{{ money(p.value_minor, currency) }}</td>
        <td class="right" :class="{ stop: (p.in_stock ?? 0) < 0 }">
          {{ p.in_stock === null ? "–" : number(p.in_stock) }}
        </td>
        <td class="small customs">
          {{ p.customs_text || "–" }}
          <span class="mute mono">{{ p.hs_code }} {{ p.origin }}</span>
        </td>
        <td class="small">
          {{
            [
              p.own_box && "own box",
              p.upright && "upright",
              p.no_weekend && "no weekend",
              p.not_stackable && "nothing on it",
              ...p.contents.map((c) => c.replaceAll("_", " ")),
              recipes?.find((r) => r.code === p.recipe)?.name,
            ]
              .filter(Boolean)
              .join(", ")
          }}
        </td>
        <td>{{ p.shelf }}</td>
        <td class="right">
          <button v-if="may('shipper')" class="link" type="button" @click="start(p)">Change</button>
        </td>
      </template></DataTable
    >
    <button v-if="hasNextPage" class="link" type="button" @click="fetchNextPage()">
      Show more of {{ matching.toLocaleString("en-GB") }}
    </button>
    <FormDialog
      v-if="editing"
      title="Product"
      :width="680"
      :error="save.error.value"
      @close="editing = undefined"
      @send="save.mutate()"
    >
      <template #title
        ><span class="mono">{{ editing.sku }}</span> {{ before?.name }}</template
      >
      <div class="form-grid">
        <v-text-field
          v-for="[key, label, unit] in NUMBERS"
          :key="key"
          v-model="typed[key]"
          class="w2"
          :label="label"
          :suffix="unit || currency"
          inputmode="decimal"
        />
        <v-select
          v-model="editing.recipe"
          class="w2"
          label="Default recipe"
          clearable
          :items="(recipes ?? []).map((r) => ({ title: r.name, value: r.code }))"
        />
        <v-text-field
          v-for="[key, label, width] in TEXTS"
          :key="key"
          v-model="editing[key]"
          :class="width"
          :label="label"
        />
        <div class="w6">
          <ProductCustoms
            v-model:text="editing.customs_text"
            v-model:code="editing.hs_code"
            v-model:origin="editing.origin"
            :sku="editing.sku"
            :name="editing.name"
          />
        </div>
        <v-text-field v-model="kilo" class="w3" label="Tags, with commas" />
        <v-text-field
          v-model="parts"
          class="w3"
          label="A set of (SKUs, with commas)"
          hint="TP-12, 2x TS-12; packed part by part"
          persistent-hint
        />
        <StockField
          v-if="before"
          v-model="onShelf"
          :product="before"
          @forgotten="editing = undefined"
        />
        <v-checkbox
          v-for="[key, label] in FLAGS"
          :key="key"
          v-model="editing[key]"
          class="w2"
          :label="label"
        />
      </div>
      <p class="mute small">
        {{ editing.learned_from ? `Learned from ${editing.learned_from}. ` : "" }}Waiting orders
        with it are planned anew.
      </p>
      <template #actions
        ><v-btn type="submit" :loading="save.isPending.value">Save the product</v-btn></template
      >
    </FormDialog>
    <FormDialog
      v-if="many"
      title="Change several products"
      :width="480"
      :error="saveMany.error.value"
      @close="many = undefined"
      @send="saveMany.mutate()"
    >
      <template #title>The same for {{ count(chosen.size, "product") }}</template>
      <div class="form-grid">
        <v-select
          v-model="many.field"
          class="w6"
          label="What to change"
          :items="MANY"
          @update:model-value="many.value = ''"
        />
        <v-select
          v-if="many.field === 'recipe'"
          v-model="many.value"
          class="w6"
          label="To"
          :items="[
            { title: 'no recipe', value: '' },
            ...(recipes ?? []).map((r) => ({ title: r.name, value: r.code })),
          ]"
        />
        <v-select
          v-else-if="FLAG_NAMES.includes(many.field)"
          v-model="many.value"
          class="w6"
          label="To"
          :items="['yes', 'no']"
        />
        <v-text-field v-else v-model="many.value" class="w6" label="To" />
      </div>
      <template #actions
        ><v-btn type="submit" :loading="saveMany.isPending.value"
          >Change {{ count(chosen.size, "product") }}</v-btn
        ></template
      >
    </FormDialog>
  </div>
</template>

<style scoped>
.search {
  font: inherit;
  border: 1px solid var(--line);
  background: var(--sheet);
  color: var(--ink);
  border-radius: 4px;
  padding: 4px 10px;
  width: 190px;
}
.tag {
  font-size: 11px;
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 0 4px;
  color: var(--mute);
}
.nowrap {
  white-space: nowrap;
}
.customs {
  width: 24%;
}
@media (min-width: 1100px) {
  .size {
    white-space: nowrap;
  }
}
</style>
