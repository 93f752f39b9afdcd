<script setup lang="ts">
import { computed } from "vue";
import { useRoute } from "vue-router";
import Frame from "./Frame.vue";

const route = useRoute();
const open = computed(() => route.meta.open === true);
</script>

<template>
  <v-app>
    <RouterView v-if="open || !route.matched.length" />
    <Frame v-else />
  </v-app>
</template>
