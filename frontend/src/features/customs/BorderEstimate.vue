<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { estimateQuery } from "./queries";
import { money } from "../../shared/format";
import { useMe } from "../../shared/session";

/** What a border asks for goods that are no order yet; nothing where none is crossed. */
const props = defineProps<{
  country: string;
  postcode: string;
  valueMinor: number;
  senderPays: boolean;
}>();
const { currency } = useMe();
const code = ref("");
const { data: due } = useQuery(
  computed(() =>
    estimateQuery({
      country: props.country,
      postcode: props.postcode,
      value_minor: props.valueMinor,
      sender_pays: props.senderPays,
      hs_code: /^[\d. ]{6,16}$/.test(code.value.trim()) ? code.value.trim() : "",
    }),
  ),
);
</script>

<template>
  <section v-if="due" aria-label="At the border" class="at-border">
    <h2>At the border</h2>
    <p v-if="!due.known">{{ due.notes[0] }}</p>
    <p v-else>
      About <b>{{ money(due.in_order_minor, currency) }}</b> of duties and taxes
      {{ senderPays ? "paid by us" : "paid by the recipient"
      }}<template v-if="due.at_sale_minor"> beside the tax that is collected at the sale</template>;
      an estimate
      <label
        >for the customs code
        <input v-model="code" maxlength="16" size="10" placeholder="any" inputmode="numeric"
      /></label>
    </p>
    <p v-for="(s, i) in due.steps" :key="i" class="mute small">
      {{ s.words }}: {{ money(s.amount_minor, due.currency) }}, {{ s.why }}
    </p>
  </section>
</template>

<style scoped>
.at-border {
  padding: 12px 8px 4px;
}
.at-border p {
  margin: 2px 0;
}
</style>
