<script setup lang="ts">
import { computed } from "vue";
import { useRoute } from "vue-router";
import Frame from "./Frame.vue";

const route = useRoute();
/** Pages without the frame: those that need no sign-in, and the bench, which has the whole screen. */
const open = computed(() => route.meta.open === true || route.meta.bare === true);
</script>

<template>
  <v-app>
    <RouterView v-if="open || !route.matched.length" />
    <Frame v-else />
  </v-app>
</template>
