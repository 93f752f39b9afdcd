<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { fetchDeparturePhotos, fetchOrderPhotos } from "./queries";
import { type Schemas } from "../../api/client";
import { dayAndClock } from "../../shared/format";
import { useMe } from "../../shared/session";

/** The pictures that were taken at the bench of an order's parcels, or of a departure's; each opens in full. */
const props = defineProps<{ orderId?: number; departure?: Schemas["DepartureIn"] }>();
const { zone } = useMe();
const { data } = useQuery(
  computed(() => ({
    queryKey: ["order", props.orderId ?? props.departure, "photos"],
    queryFn: () =>
      props.departure
        ? fetchDeparturePhotos(props.departure)
        : fetchOrderPhotos(props.orderId ?? 0),
  })),
);
</script>

<template>
  <template v-if="data?.length">
    <h2>{{ departure ? "Pictures of the parcels" : "Pictures of the parcel" }}</h2>
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
