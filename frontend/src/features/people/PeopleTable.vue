<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import type { Schemas } from "../../api/client";
import { dayAndClock } from "../../shared/format";
import { useMe } from "../../shared/session";
import { DataTable, ErrorNote, FormDialog, SelectField } from "../../shared/ui";
import CopyLine from "./CopyLine.vue";
import { endSessionsOf, invitePerson, makeDoorLink, peopleQuery, setPerson } from "./queries";
import { ROLES, roleName, type Role } from "./roles";

type Person = Schemas["PersonOut"];
const client = useQueryClient();
const { me, zone } = useMe();
const { data: people, error } = useQuery(peopleQuery);
const again = () => client.invalidateQueries({ queryKey: ["people"] });
const link = ref<Schemas["DoorLinkOut"]>();

const inviting = ref<{ login: string; name: string; role: Role }>();
const invite = useMutation({
  mutationFn: () => invitePerson(inviting.value!),
  onSuccess: (made) => {
    inviting.value = undefined;
    link.value = made;
    void again();
  },
});
const changing = ref<{ person: Person; name: string; role: Role }>();
const change = useMutation({
  mutationFn: (to: { person: Person; name: string; role: Role; active: boolean }) =>
    setPerson(to.person.id, { name: to.name, role: to.role, active: to.active }),
  onSuccess: async () => {
    changing.value = undefined;
    leaving.value = undefined;
    await again();
    await client.invalidateQueries({ queryKey: ["keys"] });
  },
});
const leaving = ref<Person>();
const help = useMutation({
  mutationFn: (person: Person) => makeDoorLink(person.id),
  onSuccess: (made) => (link.value = made),
});
const out = useMutation({
  mutationFn: (person: Person) => endSessionsOf(person.id),
  onSuccess: again,
});
const STATES = { at_work: "", invited: "invited, no password yet", gone: "has left" };
</script>

<template>
  <section aria-label="People">
    <div class="head">
      <h1>People</h1>
      <span class="mute">Everybody has a login of their own, so that it is seen who did what</span
      ><span class="grow" /><v-btn @click="inviting = { login: '', name: '', role: 'shipper' }"
        >Invite somebody</v-btn
      >
    </div>
    <ErrorNote
      :error="help.error.value ?? out.error.value ?? (leaving ? undefined : change.error.value)"
    />
    <div v-if="link" class="note" role="status">
      Give {{ link.name }} this link, for example by mail. It sets a password, works once and for
      three days, and is shown this once only.
      <CopyLine label="Link to set a password" :text="link.link" />
      <button class="link" type="button" @click="link = undefined">Close</button>
    </div>
    <DataTable
      label="People"
      :error="error"
      :columns="['Name', 'Login', 'Role', 'Second factor', 'Last seen', '']"
      :rows="people"
      :row-key="(p) => p.id"
      :row-class="(p) => ({ mute: p.state === 'gone' })"
      waiting="Fetching the people…"
    >
      <template #row="{ row: p }">
        <td>
          <b>{{ p.name }}</b> <span v-if="p.id === me?.id" class="mute">you</span
          ><span v-if="STATES[p.state]" class="small press"><br />{{ STATES[p.state] }}</span>
        </td>
        <td class="mono">{{ p.login }}</td>
        <td>{{ roleName(p.role) }}</td>
        <td>{{ p.second_factor ? "yes" : "no" }}</td>
        <td class="nowrap">{{ p.seen_at ? dayAndClock(p.seen_at, zone) : "never" }}</td>
        <td class="right nowrap">
          <template v-if="p.state !== 'gone'"
            ><button
              class="link"
              type="button"
              @click="changing = { person: p, name: p.name, role: p.role }"
            >
              Change</button
            ><v-menu>
              <template #activator="{ props: menu }"
                ><button
                  v-bind="menu"
                  class="link"
                  type="button"
                  :aria-label="`More for ${p.name}`"
                >
                  More…
                </button></template
              >
              <div class="panel more">
                <button class="link" type="button" @click="help.mutate(p)">
                  Link for a new password
                </button>
                <button class="link" type="button" @click="out.mutate(p)">End all sessions</button>
                <button v-if="p.id !== me?.id" class="link" type="button" @click="leaving = p">
                  Let go
                </button>
              </div>
            </v-menu></template
          ><button
            v-else
            class="link"
            type="button"
            @click="change.mutate({ person: p, name: p.name, role: p.role, active: true })"
          >
            Let in again
          </button>
        </td>
      </template>
    </DataTable>
    <FormDialog
      v-if="inviting"
      title="Invite somebody"
      :error="invite.error.value"
      @close="inviting = undefined"
      @send="invite.mutate()"
    >
      <div class="form-grid">
        <v-text-field v-model="inviting.name" v-first class="w4" label="Name" required />
        <v-text-field v-model="inviting.login" class="w2" label="Login" required />
      </div>
      <v-radio-group v-model="inviting.role" label="Role">
        <v-radio
          v-for="r in ROLES"
          :key="r.value"
          :value="r.value"
          :label="`${r.title}: ${r.may}`"
        />
      </v-radio-group>
      <template #actions
        ><v-btn type="submit" :loading="invite.isPending.value">Make the link</v-btn></template
      >
    </FormDialog>
    <FormDialog
      v-if="changing"
      title="Change a person"
      :error="change.error.value"
      @close="changing = undefined"
      @send="change.mutate({ ...changing, active: true })"
    >
      <template #title>Change {{ changing.person.name }}</template>
      <div class="form-grid">
        <v-text-field v-model="changing.name" v-first class="w4" label="Name" required />
        <SelectField v-model="changing.role" class="w2" label="Role" above :items="ROLES" />
      </div>
      <p class="mute small">Another role ends the sessions that are open.</p>
      <template #actions
        ><v-btn type="submit" :loading="change.isPending.value">Save</v-btn></template
      >
    </FormDialog>
    <FormDialog
      v-if="leaving"
      title="Let somebody go"
      closes="Keep"
      :error="change.error.value"
      @close="leaving = undefined"
      @send="
        change.mutate({ person: leaving, name: leaving.name, role: leaving.role, active: false })
      "
    >
      <template #title>Let {{ leaving.name }} go</template>
      <p>
        Sessions, links and API keys of {{ leaving.name }} end now. What they did stays in the
        history with their name.
      </p>
      <template #actions
        ><v-btn type="submit" :loading="change.isPending.value">Let go</v-btn></template
      >
    </FormDialog>
  </section>
</template>

<style scoped>
.more {
  display: grid;
  justify-items: start;
  padding: 4px;
}
</style>
