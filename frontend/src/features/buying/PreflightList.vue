<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { approveOrders, startWork } from "./queries";
import { type Schemas } from "../../api/client";
import { count, money } from "../../shared/format";
import { useMe } from "../../shared/session";
import { ErrorNote } from "../../shared/ui";

type Check = Schemas["CheckOut"];
const props = defineProps<{ preflight: Schemas["PreflightOut"]; numbers: Map<number, string> }>();
const emit = defineEmits<{ drop: [ids: number[]]; agree: [ids: number[]] }>();
const client = useQueryClient();
const { currency, may } = useMe();
const approve = useMutation({
  mutationFn: async (ids: number[]) => await approveOrders({ order_ids: ids }),
  onSuccess: () => {
    for (const key of ["orders", "order", "batch"])
      void client.invalidateQueries({ queryKey: [key] });
  },
});
const takeOver = useMutation({
  mutationFn: async (ids: number[]) => await startWork({ order_ids: ids, take_over: true }),
  onSuccess: (_, ids) => {
    emit("agree", ids);
    void client.invalidateQueries({ queryKey: ["orders", "preflight"] });
  },
});
function who(check: Check): string {
  const named = check.order_ids.slice(0, 4).map((id) => props.numbers.get(id) ?? String(id));
  return (
    named.join(", ") +
    (check.order_ids.length > named.length
      ? ` and ${check.order_ids.length - named.length} more`
      : "")
  );
}
</script>

<template>
  <ErrorNote :error="approve.error.value ?? takeOver.error.value" />
  <p v-if="!preflight.checks.length" class="fine checked" role="status">
    Everything was checked; nothing stands against it.
  </p>
  <table v-else class="plain-table" aria-label="Found by the checks">
    <tbody>
      <tr v-for="c in preflight.checks" :key="c.kind + c.words">
        <td class="what">
          <span v-if="c.level === 'tells'" class="tells">{{
            c.kind === "extras" ? `${c.words} is in it` : c.words
          }}</span>
          <span v-else class="snag" :class="{ warns: c.level === 'asks' }">{{ c.words }}</span>
          <br /><span class="mute small"
            >{{ count(c.order_ids.length, "order") }}: {{ who(c) }}</span
          >
        </td>
        <td class="right nowrap">
          <template v-if="c.sum"
            >{{ c.sum > 0 && c.kind !== "balance" ? "+" : "" }}{{ money(c.sum, currency)
            }}<span v-if="c.kind === 'balance'" class="small mute"> missing</span></template
          >
        </td>
        <td class="right nowrap">
          <RouterLink
            v-if="c.kind === 'snag'"
            class="link"
            :to="`/orders/${c.order_ids[0]}?view=all&fix=1`"
            >Fix</RouterLink
          >
          <button
            v-if="c.kind === 'approval' && may()"
            class="link"
            type="button"
            @click="approve.mutate(c.order_ids)"
          >
            Approve
          </button>
          <span v-else-if="c.kind === 'approval'" class="mute small">the owner approves</span>
          <button
            v-if="c.kind === 'moved'"
            class="link"
            type="button"
            @click="emit('agree', c.order_ids)"
          >
            Agree
          </button>
          <button
            v-if="c.kind === 'conflict'"
            class="link"
            type="button"
            @click="takeOver.mutate(c.order_ids)"
          >
            Take over
          </button>
          <RouterLink v-if="c.kind === 'balance' && may()" class="link" to="/money"
            >Top up</RouterLink
          >
          <button
            class="link"
            type="button"
            :aria-label="`Leave out: ${c.words}`"
            @click="emit('drop', c.order_ids)"
          >
            Leave out
          </button>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.nowrap {
  white-space: nowrap;
}
.checked {
  margin: 4px 8px;
}
.what {
  max-width: 420px;
}
</style>
