<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { movePile } from "./queries";
import { keyOf } from "./useDepartures";
import { type Schemas } from "../../api/client";
import { count, day } from "../../shared/format";
import { FormDialog, SelectField } from "../../shared/ui";

/** Labels of one service leave on another day: what that does to arrivals and promises is said before it is done. */
const props = defineProps<{
  lane: Schemas["LaneOut"];
  service?: string;
  days: string[];
  to?: string;
}>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const others = computed(() => props.days.filter((d) => d !== props.lane.day));
const to = ref(props.to ?? others.value.find((d) => d > props.lane.day) ?? others.value[0] ?? "");
const service = ref(props.service ?? props.lane.piles[0]?.service ?? "");
const pile = computed(() => props.lane.piles.find((p) => p.service === service.value));
const body = computed(() => ({
  ...keyOf(props.lane),
  service: service.value,
  to_day: to.value,
  only_try: false,
}));
const { data: tried, error: cannot } = useQuery(
  computed(() => ({
    queryKey: ["departures", "try", body.value],
    queryFn: () => movePile({ ...body.value, only_try: true }),
    retry: false,
    gcTime: 0,
  })),
);
const move = useMutation({
  mutationFn: movePile,
  onSuccess: async () => {
    await client.invalidateQueries({ queryKey: ["departures"] });
    emit("close");
  },
});
const { isPending: moving } = move;
const late = computed(() => tried.value?.filter((m) => m.late) ?? []);
const later = computed(
  () => tried.value?.filter((m) => m.before && m.arrives && m.arrives > m.before).length ?? 0,
);
</script>

<template>
  <FormDialog
    :title="`${pile?.name ?? lane.name} leaves on another day`"
    :error="cannot ?? move.error.value"
    @close="emit('close')"
    @send="move.mutate(body)"
  >
    <SelectField
      v-if="lane.piles.length > 1"
      v-model="service"
      class="mb-3"
      label="The labels of"
      :items="lane.piles.map((p) => ({ title: `${p.name}, ${p.labels}`, value: p.service }))"
    />
    <SelectField
      v-model="to"
      label="Leaves on"
      :items="others.map((d) => ({ title: day(d), value: d }))"
    />
    <p v-if="tried && !cannot">
      {{ count(pile?.labels ?? 0, "label") }} of {{ count(tried.length, "order") }}:
      {{
        later
          ? `${count(later, "order")} ${later === 1 ? "arrives" : "arrive"} later`
          : "none arrives later"
      }}<template v-if="late.length"
        >, <b class="stop">{{ count(late.length, "order") }} later than promised</b></template
      >.
    </p>
    <ul v-if="late.length" class="late">
      <li v-for="m in late.slice(0, 8)" :key="m.order_id" class="stop">
        {{ m.order_number }} arrives {{ day(m.arrives) }}
      </li>
    </ul>
    <template #actions>
      <v-btn type="submit" :loading="moving" :disabled="!tried || !!cannot"
        >Move {{ count(pile?.labels ?? 0, "label") }}</v-btn
      >
    </template>
  </FormDialog>
</template>

<style scoped>
.late {
  margin: 6px 0 0 18px;
}
</style>
