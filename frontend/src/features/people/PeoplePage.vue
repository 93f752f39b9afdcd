<script setup lang="ts">
import { useMe } from "../../shared/session";
import KeysTable from "./KeysTable.vue";
import OwnSignIn from "./OwnSignIn.vue";
import PeopleTable from "./PeopleTable.vue";
import PersonalData from "./PersonalData.vue";

/** Who comes in and by what: everybody's own sign-in; for the owner people and keys, too. */
const { may } = useMe();
</script>

<template>
  <div class="page" tabindex="0" role="region" aria-label="People and keys">
    <template v-if="may()">
      <PeopleTable />
      <KeysTable />
      <PersonalData />
    </template>
    <OwnSignIn />
  </div>
</template>
