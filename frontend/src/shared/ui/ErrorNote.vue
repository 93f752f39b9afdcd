<script setup lang="ts">
import { words } from "../../api/client";

/** What went wrong, what was kept and what to do; nothing while there is no error. */
defineProps<{ error: unknown }>();
</script>

<template>
  <p v-if="error" class="note bad" role="alert">{{ words(error) }}</p>
</template>
