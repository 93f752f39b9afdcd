<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { sendSignIn, makeFirstOwner, startQuery } from "./queries";
import { ProblemError, rememberToken, words } from "../../api/client";
import { CURRENCIES, ownCurrency, ownZone, ZONES } from "../../shared/choices";

const route = useRoute();
const router = useRouter();
const client = useQueryClient();
const { data: start, refetch } = useQuery(startQuery);
const login = ref(typeof route.query.login === "string" ? route.query.login : "");
const password = ref("");
/** Asked for only where the person has a second factor. */
const code = ref<string>();
const problem = ref("");
const busy = ref(false);
const first = ref({
  shop: "",
  name: "",
  time_zone: ownZone(),
  currency: ownCurrency(),
});

async function signIn(asLogin = login.value, withPassword = password.value): Promise<void> {
  busy.value = true;
  problem.value = "";
  try {
    const me = await sendSignIn({
      login: asLogin,
      password: withPassword,
      code: code.value ?? "",
    });
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
    if (error instanceof ProblemError && error.code === "second_factor") code.value = "";
    else problem.value = words(error);
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
        <v-autocomplete
          v-model="first.time_zone"
          label="Time zone"
          :items="ZONES"
          auto-select-first
        />
        <v-autocomplete
          v-model="first.currency"
          label="Currency"
          :items="CURRENCIES"
          auto-select-first
        />
        <v-text-field v-model="login" label="Login" autocomplete="username" required />
        <v-text-field
          v-model="password"
          label="Password, at least 15 characters"
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
          <v-text-field
            v-if="code !== undefined"
            v-model="code"
            v-first
            label="Six digits of your second factor"
            inputmode="numeric"
            autocomplete="one-time-code"
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

<style scoped src="./gate.css"></style>
