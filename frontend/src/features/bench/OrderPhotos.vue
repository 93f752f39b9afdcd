<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { fetchOrderPhotos } from "./queries";
import { dayAndClock } from "../../shared/format";
import { useMe } from "../../shared/session";

/** The pictures that were taken of an order's parcels at the bench; each opens in full. */
const props = defineProps<{ orderId: number }>();
const { zone } = useMe();
const { data } = useQuery(
  computed(() => ({
    queryKey: ["order", props.orderId, "photos"],
    queryFn: () => fetchOrderPhotos(props.orderId),
  })),
);
</script>

<template>
  <template v-if="data?.length">
    <h2>Pictures of the parcel</h2>
    <p class="photos">
      <a v-for="p in data" :key="p.id" :href="`/api/photos/${p.id}`" target="_blank" rel="noopener">
        <img
          :src="`/api/photos/${p.id}?size=small`"
          :alt="`The parcel, ${dayAndClock(p.at, zone)}`"
          loading="lazy"
        />
      </a>
    </p>
  </template>
</template>

<style scoped>
.photos {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.photos img {
  max-width: 120px;
  max-height: 90px;
  border: 1px solid var(--line);
}
</style>
