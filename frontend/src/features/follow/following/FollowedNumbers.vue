<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, reactive, ref } from "vue";
import { carriersQuery } from "../../shop";
import { followedQuery, followNumber, unfollow } from "./queries";
import { dayAndClock, trackingWords } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { FormDialog } from "../../../shared/ui";

/** Parcels to us and those bought elsewhere: followed by their number, with a note to whoever waits. */
const client = useQueryClient();
const { zone, may } = useMe();
const { data } = useQuery(followedQuery);
const { data: carriers } = useQuery(carriersQuery);
const open = ref(false);
const wanted = reactive({ carrier: "", number: "", what: "", tell_mail: "" });
const items = computed(() => (carriers.value ?? []).map((c) => ({ value: c.code, title: c.name })));
const names = computed(() => Object.fromEntries(items.value.map((c) => [c.value, c.title])));
const again = () => client.invalidateQueries({ queryKey: ["tracking", "followed"] });
const add = useMutation({
  mutationFn: () => followNumber({ ...wanted, carrier: wanted.carrier || items.value[0]!.value }),
  onSuccess: () => {
    Object.assign(wanted, { number: "", what: "" });
    open.value = false;
    return again();
  },
});
const { isPending: adding } = add;
const remove = useMutation({ mutationFn: unfollow, onSuccess: again });
</script>

<template>
  <section class="followed" aria-label="Followed by number">
    <div class="head">
      <h2>Followed by number</h2>
      <span class="mute small">What comes to us, and what was bought elsewhere</span>
      <button v-if="may('shipper', 'care')" type="button" class="link" @click="open = true">
        Follow a number
      </button>
    </div>
    <ul v-if="data?.length" class="panel">
      <li v-for="f in data" :key="f.id">
        <span
          ><b>{{ f.what || "A parcel" }}</b>
          <span class="mute small"
            ><span class="mono">{{ f.number }}</span
            >, {{ names[f.carrier] ?? f.carrier }}</span
          ></span
        >
        <span :class="{ press: f.failure }"
          >{{ f.failure || trackingWords(f.state)
          }}<span v-if="f.events[0]" class="mute small"
            >: {{ f.events[0].words }}, {{ f.events[0].spot }}
            {{ dayAndClock(f.events[0].at, zone) }}</span
          ></span
        >
        <span class="mute small">{{
          f.tell_mail ? `told: ${f.tell_mail}` : `asked for by ${f.asked_by}`
        }}</span>
        <button
          v-if="may('shipper', 'care')"
          type="button"
          class="link"
          :aria-label="`Let it be: ${f.number}`"
          @click="remove.mutate(f.id)"
        >
          Let it be
        </button>
      </li>
    </ul>
    <FormDialog
      v-if="open"
      title="Follow a number"
      :error="add.error.value"
      @close="open = false"
      @send="add.mutate()"
    >
      <v-text-field v-model="wanted.number" v-first label="Number on the label" required />
      <v-select
        v-model="wanted.carrier"
        label="Carrier"
        :items="items"
        :placeholder="items[0]?.title"
        persistent-placeholder
      />
      <v-text-field v-model="wanted.what" label="What is in it" maxlength="200" />
      <v-text-field v-model="wanted.tell_mail" type="email" label="Who waits for it, by mail" />
      <template #actions
        ><v-btn type="submit" :loading="adding" :disabled="!wanted.number.trim()"
          >Follow it</v-btn
        ></template
      >
    </FormDialog>
  </section>
</template>

<style scoped>
.followed {
  margin-top: 22px;
}
ul {
  margin: 6px 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: 2fr 3fr 1.4fr auto;
  gap: 14px;
  align-items: center;
  padding: 8px 12px;
  border-bottom: 1px solid var(--line);
}
</style>
