<script setup lang="ts">
import { ref } from "vue";
import type { Schemas } from "../../../api/client";

type Bill = Schemas["BillTo"];
const props = defineProps<{ bill: Bill | null; carrier: string }>();
const emit = defineEmits<{ set: [bill: Bill | null] }>();
const typing = ref(false);
const who = ref<Bill["who"]>(props.bill?.who ?? "recipient");
const account = ref(props.bill?.account ?? "");
const WHO = [
  { title: "the recipient’s account", value: "recipient" },
  { title: "a third party’s account", value: "third_party" },
];
</script>

<template>
  <p v-if="bill && !typing" class="small">
    Billed to {{ bill.who === "recipient" ? "the recipient’s" : "a third party’s" }} account
    <span class="mono">{{ bill.account }}</span>.
    <button class="link" type="button" @click="emit('set', null)">Bill us instead</button>
  </p>
  <button v-else-if="!typing" class="quiet tall" type="button" @click="typing = true">
    Bill somebody else’s account{{ carrier ? ` with ${carrier}` : "" }}
  </button>
  <form
    v-else
    class="bill"
    @submit.prevent="
      emit('set', { who, account: account.trim() });
      typing = false;
    "
  >
    <v-select v-model="who" label="Whose" :items="WHO" /><v-text-field
      v-model="account"
      v-first
      label="Account number"
      minlength="3"
      maxlength="40"
      required
    />
    <button class="link" type="submit">Keep</button>
  </form>
</template>

<style scoped>
.bill {
  display: grid;
  grid-template-columns: 1fr 1fr auto;
  gap: 8px;
  align-items: center;
  margin: 6px 0;
}
.tall {
  min-height: 24px;
}
</style>
