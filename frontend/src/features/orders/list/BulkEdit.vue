<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { setByHand, annotateOrders } from "../queries";
import { type Schemas } from "../../../api/client";
import { count } from "../../../shared/format";
import { vocabularyQuery } from "../../shape";
import type { PickedOrder } from "../queries";
import { FormDialog } from "../../../shared/ui";

const props = defineProps<{ rows: PickedOrder[]; seen?: number }>();
const emit = defineEmits<{ close: []; changed: [what: string] }>();
const client = useQueryClient();
const { data: words_ } = useQuery(vocabularyQuery);
const choices = computed(() => words_.value?.choices);
const LEAVE = "leave as it is";
const service = ref<string | null>(LEAVE);
const packaging = ref<string | null>(LEAVE);
const desk = ref("");
const tags = ref("");
const items = (from: Record<string, string> | undefined) => [
  { title: "Leave as it is", value: LEAVE },
  { title: "Let the plan decide", value: null },
  ...Object.entries(from ?? {}).map(([value, title]) => ({ title, value })),
];

const save = useMutation({
  mutationFn: async () => {
    const ids = props.rows.map((r) => r.id);
    const set: Schemas["HandIn"] = {};
    if (service.value !== LEAVE) set.service = service.value;
    if (packaging.value !== LEAVE) set.packaging = packaging.value;
    if (desk.value.trim()) set.desk = desk.value.trim();
    if (Object.keys(set).length) await setByHand(ids, set, props.seen);
    const add = tags.value
      .split(",")
      .map((t) => t.trim())
      .filter(Boolean);
    if (add.length) await annotateOrders({ order_ids: ids, add_tags: add, remove_tags: [] });
    return Object.keys(set);
  },
  onSuccess: (set) => {
    void client.invalidateQueries({ queryKey: ["orders"] });
    if (set.length)
      emit(
        "changed",
        set.join(" and ").replace(/^./, (c) => c.toUpperCase()),
      );
    emit("close");
  },
});
</script>

<template>
  <FormDialog
    title="Edit the selected orders"
    :width="560"
    :error="save.error.value"
    @close="emit('close')"
    @send="save.mutate()"
  >
    <template #title>The same for {{ count(rows.length, "order") }}</template>
    <div class="form-grid">
      <v-select v-model="service" class="w6" label="Service" :items="items(choices?.services)" />
      <v-select
        v-model="packaging"
        class="w6"
        label="Packaging"
        :items="items(choices?.packagings)"
      />
      <v-text-field v-model="desk" class="w3" label="Desk" maxlength="60" />
      <v-text-field v-model="tags" class="w3" label="Add tags, with commas" maxlength="200" />
    </div>
    <p class="mute small">Set by hand: it stays when the plan is made again.</p>
    <template #actions
      ><v-btn type="submit" :loading="save.isPending.value"
        >Change {{ count(rows.length, "order") }}</v-btn
      ></template
    >
  </FormDialog>
</template>
