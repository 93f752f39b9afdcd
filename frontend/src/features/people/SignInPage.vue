<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { sendSignIn, makeFirstOwner, startQuery } from "./queries";
import { rememberToken, words } from "../../api/client";

const route = useRoute();
const router = useRouter();
const client = useQueryClient();
const { data: start, refetch } = useQuery(startQuery);
const login = ref("");
const password = ref("");
const problem = ref("");
const busy = ref(false);
const first = ref({
  shop: "",
  name: "",
  time_zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
  currency: "EUR",
});

async function signIn(asLogin = login.value, withPassword = password.value): Promise<void> {
  busy.value = true;
  problem.value = "";
  try {
    const me = await sendSignIn({ login: asLogin, password: withPassword });
    rememberToken(me.csrf_token);
    client.setQueryData(["me"], me);
    const to =
      typeof route.query.to === "string" &&
      route.query.to.startsWith("/") &&
      !route.query.to.startsWith("//")
        ? route.query.to
        : "/today";
    await router.push(to);
  } catch (error) {
    problem.value = words(error);
  } finally {
    busy.value = false;
  }
}
async function setUp(): Promise<void> {
  problem.value = "";
  try {
    await makeFirstOwner({ ...first.value, login: login.value, password: password.value });
    await refetch();
    await signIn();
  } catch (error) {
    problem.value = words(error);
  }
}
</script>

<template>
  <main class="gate">
    <div class="door">
      <h1 class="brand">Tidewind</h1>
      <p v-if="start?.set_up" class="mute">{{ start.brand }}</p>
      <p v-if="problem" class="note bad" role="alert">{{ problem }}</p>
      <form v-if="start && !start.set_up" class="stack" @submit.prevent="setUp">
        <p>This shop is empty. Set it up with its first owner.</p>
        <v-text-field v-model="first.shop" label="Shop name" required />
        <v-text-field v-model="first.name" label="Your name" required />
        <v-text-field v-model="first.time_zone" label="Time zone" required />
        <v-text-field v-model="first.currency" label="Currency" required />
        <v-text-field v-model="login" label="Login" autocomplete="username" required />
        <v-text-field
          v-model="password"
          label="Password, at least 10 characters"
          type="password"
          autocomplete="new-password"
          required
        />
        <v-btn type="submit">Set up the shop</v-btn>
      </form>
      <template v-else-if="start">
        <form class="stack" @submit.prevent="signIn()">
          <v-text-field v-model="login" label="Login" autocomplete="username" required />
          <v-text-field
            v-model="password"
            label="Password"
            type="password"
            autocomplete="current-password"
            required
          />
          <v-btn type="submit" :loading="busy">Sign in</v-btn>
        </form>
        <template v-if="start.demo_people.length">
          <h2>Or come in as somebody of the demo shop</h2>
          <button
            v-for="p in start.demo_people"
            :key="p.login"
            type="button"
            class="person"
            @click="signIn(p.login, p.password)"
          >
            <b>{{ p.name }}</b> <span class="mute">{{ p.role }}</span>
          </button>
        </template>
      </template>
    </div>
  </main>
</template>

<style scoped>
.gate {
  height: 100vh;
  overflow: auto;
  display: grid;
  place-items: center;
  background: var(--paper);
}
.door {
  width: 380px;
  padding: 28px;
  background: var(--sheet);
  border: 1px solid var(--line);
}
.brand {
  font-size: 24px;
}
.stack {
  display: grid;
  gap: 12px;
  margin-top: 12px;
}
h2 {
  margin: 22px 0 6px;
}
.person {
  display: flex;
  justify-content: space-between;
  width: 100%;
  font: inherit;
  color: inherit;
  padding: 8px 10px;
  border: 0;
  border-top: 1px solid var(--line);
  background: none;
  cursor: pointer;
  text-align: left;
}
.person:hover {
  background: var(--mul-soft);
}
</style>
