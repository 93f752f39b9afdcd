<script setup lang="ts">
/** Something worth knowing, until it is closed; what stops goes into an ErrorNote. */
const notice = defineModel<string>({ required: true });
</script>

<template>
  <p v-if="notice" class="note" role="status">
    {{ notice }} <slot />
    <button class="link" type="button" @click="notice = ''">Close</button>
  </p>
</template>
