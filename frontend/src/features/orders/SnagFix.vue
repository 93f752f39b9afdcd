<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, need, words } from "../../api/client";
import { packagingQuery } from "../setup";
import AddressForm from "../../shared/AddressForm.vue";
import { orderQuery, type OrderRow } from "./queries";

const props = defineProps<{ row: OrderRow }>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const router = useRouter();
const snag = computed(() => props.row.snags[0]);
const { data: sheet } = useQuery(computed(() => orderQuery(props.row.id)));
const { data: boxes } = useQuery(packagingQuery);
const weight = ref("");
const sides = ref(["", "", ""]);
const box = ref<string | null>(null);
const address = ref<NonNullable<typeof sheet.value>["address"]>();
const home = ref(true);
watch(sheet, (s) => { if (s && !address.value) { address.value = { ...s.address }; home.value = s.home; } }, { immediate: true });

function whole(text: string, times: number): number {
  const value = Number(text.replace(",", "."));
  return Number.isFinite(value) ? Math.round(value * times) : 0;
}
const save = useMutation({
  mutationFn: async () => {
    const path = { order_id: props.row.id };
    switch (snag.value?.fix) {
      case "product_weight":
        return need(await api.PATCH("/api/products/{sku}/facts", { params: { path: { sku: snag.value.about } }, body: { weight_g: whole(weight.value, 1) } }));
      case "product_size": {
        const [a, b, c] = sides.value.map((s) => whole(s, 10));
        return need(await api.PATCH("/api/products/{sku}/facts", { params: { path: { sku: snag.value.about } }, body: { sides_mm: [a ?? 0, b ?? 0, c ?? 0] } }));
      }
      case "address":
        return need(await api.PUT("/api/orders/{order_id}/address", { params: { path }, body: { address: address.value!, home: home.value } }));
      default:
        return need(await api.PATCH("/api/orders/{order_id}/hand", { params: { path }, body: { packaging: box.value } }));
    }
  },
  onSuccess: () => {
    for (const key of ["orders", "order", "today"]) void client.invalidateQueries({ queryKey: [key] });
    emit("close");
  },
});
const openable = computed(() => ["service", "none"].includes(snag.value?.fix ?? "none"));
</script>

<template>
  <v-dialog :model-value="true" max-width="640" aria-label="Fix a snag" @update:model-value="emit('close')">
    <v-card>
      <form @submit.prevent="save.mutate()">
        <div class="dialog-head"><span class="snag" :class="snag?.level">{{ snag?.words }}</span></div>
        <div class="dialog-body">
          <p class="mute">Order {{ row.number }}, {{ row.items }}</p>
          <p v-if="save.error.value" class="note bad" role="alert">{{ words(save.error.value) }}</p>
          <template v-if="snag?.fix === 'product_weight'">
            <v-text-field v-model="weight" autofocus label="Weight of one piece" suffix="g" inputmode="numeric" required />
            <p class="mute small">It is kept with the product {{ snag.about }}: every waiting order with it is planned anew.</p>
          </template>
          <template v-else-if="snag?.fix === 'product_size'">
            <div class="form-grid">
              <v-text-field v-for="(name, i) in ['Length', 'Width', 'Height']" :key="name" v-model="sides[i]" :autofocus="i === 0" class="w2" :label="name" suffix="cm" inputmode="decimal" required />
            </div>
            <p class="mute small">It is kept with the product {{ snag.about }}: every waiting order with it is planned anew.</p>
          </template>
          <AddressForm v-else-if="snag?.fix === 'address' && address" v-model="address" v-model:home="home" :doubtful="row.snags.map((s) => s.about)" />
          <template v-else-if="snag?.fix === 'packaging'">
            <v-select v-model="box" label="Packaging for this order" clearable :items="(boxes ?? []).filter((b) => b.active && !b.carrier).map((b) => ({ title: b.name, value: b.code }))" />
            <p class="mute small">Left empty, the program chooses again.</p>
          </template>
          <p v-else>Open the order to choose another service, box or ship date.</p>
        </div>
        <div class="dialog-actions">
          <v-btn variant="text" @click="emit('close')">Not now</v-btn>
          <v-btn v-if="openable" @click="emit('close'); router.push(`/orders/${row.id}`)">Open the order</v-btn>
          <v-btn v-else type="submit" :loading="save.isPending.value">Save and plan again</v-btn>
        </div>
      </form>
    </v-card>
  </v-dialog>
</template>
