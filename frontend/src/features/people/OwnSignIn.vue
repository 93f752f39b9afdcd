<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import type { Schemas } from "../../api/client";
import { dayAndClock } from "../../shared/format";
import { useMe } from "../../shared/session";
import { DataTable, ErrorNote, FormDialog } from "../../shared/ui";
import {
  changePassword,
  endSession,
  keepFactor,
  offerFactor,
  sessionsQuery,
  takeFactorOff,
} from "./queries";

/** One's own password, second factor and open sessions. */
const client = useQueryClient();
const { me, zone } = useMe();
const { data: sessions, error } = useQuery(sessionsQuery);
const said = ref("");
async function again(words: string): Promise<void> {
  said.value = words;
  await Promise.all(
    ["me", "sessions", "people"].map((key) => client.invalidateQueries({ queryKey: [key] })),
  );
}
const end = useMutation({
  mutationFn: endSession,
  onSuccess: () => again("That session has ended."),
});
const passwords = ref<{ before: string; after: string }>();
const change = useMutation({
  mutationFn: () => changePassword(passwords.value!),
  onSuccess: () => {
    passwords.value = undefined;
    return again("The password is changed, and your other sessions have ended.");
  },
});
const offered = ref<Schemas["FactorOut"]>();
const code = ref("");
const offer = useMutation({
  mutationFn: offerFactor,
  onSuccess: (fresh) => {
    code.value = "";
    offered.value = fresh;
  },
});
const picture = computed(
  () => `data:image/svg+xml;utf8,${encodeURIComponent(offered.value?.picture ?? "")}`,
);
const keep = useMutation({
  mutationFn: () => keepFactor({ secret: offered.value!.secret, code: code.value }),
  onSuccess: () => {
    offered.value = undefined;
    return again("From now on signing in asks for the six digits, too.");
  },
});
const off = ref<{ password: string }>();
const takeOff = useMutation({
  mutationFn: () => takeFactorOff(off.value!.password),
  onSuccess: () => {
    off.value = undefined;
    return again("The second factor is off.");
  },
});
</script>

<template>
  <section aria-label="My sign-in">
    <div class="head">
      <h2>My sign-in</h2>
      <span class="mute"
        >{{ me?.name }},
        {{ me?.second_factor ? "with a second factor" : "with a password alone" }}</span
      ><span class="grow" />
      <v-btn variant="outlined" @click="passwords = { before: '', after: '' }"
        >Change the password</v-btn
      >
      <v-btn
        v-if="!me?.second_factor"
        variant="outlined"
        :loading="offer.isPending.value"
        @click="offer.mutate()"
        >Add a second factor</v-btn
      >
      <v-btn v-else variant="outlined" @click="off = { password: '' }">Take it off</v-btn>
    </div>
    <p v-if="said" class="note" role="status">{{ said }}</p>
    <ErrorNote :error="end.error.value ?? offer.error.value" />
    <DataTable
      label="My sessions"
      :error="error"
      :columns="['Signed in on', 'Since', 'Last seen', '']"
      :rows="sessions"
      :row-key="(s) => s.id"
    >
      <template #row="{ row: s }">
        <td>{{ s.browser || "a browser" }} <b v-if="s.this_one">this one</b></td>
        <td class="nowrap">{{ dayAndClock(s.since, zone) }}</td>
        <td class="nowrap">{{ s.seen_at ? dayAndClock(s.seen_at, zone) : "" }}</td>
        <td class="right">
          <button v-if="!s.this_one" class="link" type="button" @click="end.mutate(s.id)">
            End it
          </button>
        </td>
      </template>
    </DataTable>
    <FormDialog
      v-if="passwords"
      title="Change the password"
      :width="440"
      :error="change.error.value"
      @close="passwords = undefined"
      @send="change.mutate()"
    >
      <v-text-field
        v-model="passwords.before"
        v-first
        label="Password now"
        type="password"
        autocomplete="current-password"
        required
      />
      <v-text-field
        v-model="passwords.after"
        label="New password, at least 15 characters"
        type="password"
        autocomplete="new-password"
        required
      />
      <template #actions
        ><v-btn type="submit" :loading="change.isPending.value">Change it</v-btn></template
      >
    </FormDialog>
    <FormDialog
      v-if="offered"
      title="Add a second factor"
      :width="440"
      :error="keep.error.value"
      @close="offered = undefined"
      @send="keep.mutate()"
    >
      <p>
        Point an authenticator app at this picture, or type the secret into it. Then type the six
        digits that it shows.
      </p>
      <img class="code" :src="picture" alt="QR code of the secret below" />
      <p class="mono small">{{ offered.secret }}</p>
      <v-text-field
        v-model="code"
        v-first
        label="Six digits"
        inputmode="numeric"
        autocomplete="one-time-code"
        required
      />
      <template #actions
        ><v-btn type="submit" :loading="keep.isPending.value"
          >Ask for it from now on</v-btn
        ></template
      >
    </FormDialog>
    <FormDialog
      v-if="off"
      title="Take the second factor off"
      :width="440"
      :error="takeOff.error.value"
      @close="off = undefined"
      @send="takeOff.mutate()"
    >
      <v-text-field
        v-model="off.password"
        v-first
        label="Password"
        type="password"
        autocomplete="current-password"
        required
      />
      <template #actions
        ><v-btn type="submit" :loading="takeOff.isPending.value">Take it off</v-btn></template
      >
    </FormDialog>
  </section>
</template>

<style scoped>
section {
  margin-top: 26px;
}
section:first-child {
  margin-top: 0;
}
.code {
  display: block;
  width: 180px;
  height: 180px;
  margin: 8px 0;
  background: #fff;
  image-rendering: pixelated;
}
</style>
