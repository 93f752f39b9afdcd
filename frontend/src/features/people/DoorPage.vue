<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { ErrorNote } from "../../shared/ui";
import { doorQuery, setPasswordByLink } from "./queries";

/** Where the link leads by which somebody sets a password. */
const route = useRoute();
const router = useRouter();
const key = computed(() => String(route.params.key));
const { data: door, error } = useQuery(computed(() => doorQuery(key.value)));
const password = ref("");
const set = useMutation({
  mutationFn: () => setPasswordByLink(key.value, password.value),
  onSuccess: () => router.push({ path: "/sign-in", query: { login: door.value?.login ?? "" } }),
});
</script>

<template>
  <main class="gate">
    <div class="door">
      <h1 class="brand">Tidewind</h1>
      <ErrorNote :error="error ?? set.error.value" />
      <form v-if="door" class="stack" @submit.prevent="set.mutate()">
        <p class="mute">{{ door.brand }}</p>
        <p>
          Welcome, {{ door.name }}. Your login is <b class="mono">{{ door.login }}</b>. Set a
          password: several words do well.
        </p>
        <input type="hidden" autocomplete="username" :value="door.login" />
        <v-text-field
          v-model="password"
          v-first
          label="Password, at least 15 characters"
          type="password"
          autocomplete="new-password"
          required
        />
        <v-btn type="submit" :loading="set.isPending.value">Set the password</v-btn>
      </form>
    </div>
  </main>
</template>

<style scoped src="./gate.css"></style>
