<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { casesQuery, dropCase, keepCase, type Basket, type Body, type Case } from "./offers";
import { money } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { ErrorNote } from "../../../shared/ui";

/** Baskets that are tried again after each change, and what the offers as they stand here would move for them. */
const props = defineProps<{ body: Body; basket: Basket | undefined }>();
const emit = defineEmits<{ take: [basket: Case["basket"]] }>();
const client = useQueryClient();
const { data, error } = useQuery(computed(() => casesQuery(props.body)));
const again = () => client.invalidateQueries({ queryKey: ["checkout", "cases"] });
const { currency } = useMe();
function said(m: Case["moved"][number]): string {
  if (m.after === null) return `${m.name} is gone`;
  const now = money(m.after, currency.value);
  return m.before === null
    ? `${m.name} is new, ${now}`
    : `${m.name}: ${money(m.before, currency.value)} → ${now}`;
}
const name = ref("");
const keep = useMutation({
  mutationFn: () => keepCase({ name: name.value, basket: props.basket! }),
  onSuccess: () => {
    name.value = "";
    void again();
  },
});
const drop = useMutation({ mutationFn: dropCase, onSuccess: again });
</script>

<template>
  <section aria-label="Kept baskets">
    <h3>Kept baskets</h3>
    <ErrorNote :error="error ?? keep.error.value ?? drop.error.value" />
    <p v-for="c in data" :key="c.id" class="kept">
      <button type="button" class="link" @click="emit('take', c.basket)">{{ c.name }}</button>
      <span v-if="c.moved.length" class="press">{{ c.moved.map(said).join("; ") }}</span>
      <span v-else class="mute">as it was</span>
      <button type="button" class="link" :aria-label="`Drop ${c.name}`" @click="drop.mutate(c.id)">
        Drop
      </button>
    </p>
    <form class="form-grid" @submit.prevent="basket && name.trim() && keep.mutate()">
      <v-text-field
        v-model="name"
        class="w4"
        label="Keep this basket as"
        hint="Each change says what moved for it"
        maxlength="80"
      />
      <v-btn type="submit" variant="outlined" class="w2" :disabled="!basket || !name.trim()"
        >Keep</v-btn
      >
    </form>
  </section>
</template>

<style scoped>
section {
  margin-top: 14px;
}
h3 {
  margin: 0 0 4px;
}
.kept {
  display: flex;
  gap: 12px;
  justify-content: space-between;
  align-items: baseline;
  margin: 0;
  padding: 5px 0;
  border-bottom: 1px solid var(--line);
}
form {
  margin-top: 10px;
}
.kept span {
  flex: 1;
}
</style>
