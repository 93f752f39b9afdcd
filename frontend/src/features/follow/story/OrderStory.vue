<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import WayMap from "./WayMap.vue";
import { setTelling, storyQuery, tellingQuery, wayQuery } from "./queries";
import { dayAndClock } from "../../../shared/format";
import { useKeys } from "../../../shared/keyboard";
import { useMe } from "../../../shared/session";
import { ErrorNote } from "../../../shared/ui";

/** Where is it? An answer to copy first, then all that happened, then who else is told of it. */
const props = defineProps<{ orderId: number }>();
const client = useQueryClient();
const { zone, may } = useMe();
const { data, error } = useQuery(computed(() => storyQuery(props.orderId)));
const { data: telling } = useQuery(computed(() => tellingQuery(props.orderId)));
const { data: way } = useQuery(computed(() => wayQuery(props.orderId)));
const copied = ref(false);
async function copy(): Promise<void> {
  if (!data.value?.answer) return;
  await navigator.clipboard.writeText(data.value.answer);
  copied.value = true;
}
useKeys({ y: copy });
const MARKS: Record<string, string> = { told: "✉", event: "→", way_back: "←", done: "·" };
const LANGUAGES = new Intl.DisplayNames("en-GB", { type: "language" });
const editing = ref(false);
const also = ref("");
const line = ref("");
function edit(): void {
  also.value = telling.value?.also_tell.join(", ") ?? "";
  line.value = telling.value?.own_line ?? "";
  editing.value = true;
}
const save = useMutation({
  mutationFn: () =>
    setTelling(props.orderId, also.value.split(/[\s,;]+/).filter(Boolean), line.value.trim()),
  onSuccess: (saved) => {
    client.setQueryData(tellingQuery(props.orderId).queryKey, saved);
    editing.value = false;
  },
});
const { isPending: saving } = save;
</script>

<template>
  <ErrorNote :error="error" />
  <template v-if="data">
    <template v-if="data.answer">
      <h2>Where it is</h2>
      <p class="answer" tabindex="0" :lang="data.language">{{ data.answer }}</p>
      <p class="small">
        <button type="button" class="link" @click="copy">Copy the answer</button> <kbd>y</kbd>
        <span class="mute"> in {{ LANGUAGES.of(data.language) }}</span>
        <span v-if="copied" role="status" class="fine"> ✓ Copied</span>
      </p>
    </template>
    <p v-for="b in telling?.blocked" :key="b.address" class="press small">
      Nothing is sent to {{ b.address }}: {{ b.why }}.
    </p>
    <template v-if="may('shipper', 'care')">
      <form v-if="editing" class="telling" @submit.prevent="save.mutate()">
        <ErrorNote :error="save.error.value" />
        <v-text-field v-model="also" v-first label="Others who are told, by mail" />
        <v-text-field v-model="line" label="A personal line in its mails" maxlength="300" />
        <v-btn type="submit" variant="outlined" :loading="saving">Keep it</v-btn>
        <button type="button" class="link" @click="editing = false">Leave it</button>
      </form>
      <p v-else class="small">
        <span v-if="telling?.also_tell.length" class="mute"
          >Also told: {{ telling.also_tell.join(", ") }}. </span
        ><span v-if="telling?.own_line" class="mute">“{{ telling.own_line }}” </span
        ><button type="button" class="link" @click="edit">
          {{ telling?.also_tell.length || telling?.own_line ? "Change" : "Tell others too" }}
        </button>
      </p>
    </template>
    <h3>What happened</h3>
    <WayMap v-if="way" :way="way" />
    <ol class="steps" aria-label="What happened">
      <li v-for="(s, n) in data.steps" :key="n">
        <span class="mute nowrap">{{ dayAndClock(s.at, zone) }}</span>
        <span
          ><span class="mark mute" aria-hidden="true">{{ MARKS[s.kind] ?? "•" }}</span
          >{{ s.words }}<span v-if="s.more" class="mute">, {{ s.more }}</span></span
        >
      </li>
    </ol>
  </template>
</template>

<style scoped>
.answer {
  max-height: 190px;
  padding: 8px 12px;
  overflow: auto;
  overflow-wrap: anywhere;
  white-space: pre-line;
  background: var(--soft);
}
.steps {
  margin: 4px 0;
  padding: 0;
  list-style: none;
}
.steps li {
  display: grid;
  grid-template-columns: 112px 1fr;
  gap: 8px;
  padding: 3px 0;
}
.mark {
  display: inline-block;
  width: 18px;
}
.telling {
  display: grid;
  gap: 8px;
  margin: 8px 0;
}
</style>
