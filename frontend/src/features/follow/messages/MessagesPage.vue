<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import BlockedAddresses from "./BlockedAddresses.vue";
import MessageEditor from "./MessageEditor.vue";
import MessageLog from "./MessageLog.vue";
import MessageLook from "./MessageLook.vue";
import ToChannels from "./ToChannels.vue";
import {
  letGo,
  NOTHING,
  rulesQuery,
  saveRules,
  TRIGGERS,
  type Rules,
  type Trigger,
} from "./queries";
import { count } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { ErrorNote } from "../../../shared/ui";

/** What buyers are told of, by which way and in which words; what went out and what did not; who wants no more. */
const PARTS = {
  words: "What is told",
  log: "What went out",
  channels: "To channels",
  blocked: "Who wants no more",
} as const;
const client = useQueryClient();
const { may } = useMe();
const channel = ref("");
const { data, error } = useQuery(computed(() => rulesQuery(channel.value)));
const body = ref<Rules>(NOTHING);
const base = ref(-1);
const part = ref<keyof typeof PARTS>("words");
const chosen = ref<Trigger>("label");
const plain = (rules: Rules | undefined) => JSON.stringify(rules ?? {});
const changed = computed(() => base.value >= 0 && plain(body.value) !== plain(data.value?.body));
watch(
  data,
  (found) => {
    if (!found || changed.value) return;
    body.value = JSON.parse(plain(found.body)) as Rules;
    base.value = found.version;
  },
  { immediate: true },
);
/** Another channel's words are fetched; what is not saved of this one would be lost, so it is asked for first. */
function choose(code: string): void {
  if (changed.value) return;
  base.value = -1;
  channel.value = code;
}
type Way = "mail" | "sms" | "store";
const mine = (trigger: Trigger) => body.value.triggers?.[trigger];
const says = (trigger: Trigger) => {
  const own = mine(trigger);
  return own && (["mail", "sms", "store"] as Way[]).some((way) => typeof own[way] === "boolean");
};
/** Whether a trigger is told by a way: as this channel has it, else as the shop has it, else as what it goes by, or as usual. */
function told(trigger: Trigger, way: Way): boolean {
  const said = says(trigger) ? mine(trigger) : data.value?.shop.triggers?.[trigger];
  if (said && typeof (said.mail ?? said.sms ?? said.store) === "boolean") return said[way] === true;
  const other = data.value?.goes_by[trigger];
  if (other) return told(other, way);
  return way === "mail" && data.value?.usual[trigger] === true;
}
function tell(trigger: Trigger, way: Way, on: boolean): void {
  const before = { mail: told(trigger, "mail"), sms: told(trigger, "sms"), store: false };
  const now = way === "store" ? { mail: false, sms: false, store: on } : { ...before, [way]: on };
  put(trigger, { ...mine(trigger), ...now });
}
function put(trigger: Trigger, said: NonNullable<Rules["triggers"]>[Trigger]): void {
  body.value = { ...body.value, triggers: { ...body.value.triggers, [trigger]: said } };
}
function asTheShop(trigger: Trigger): void {
  put(trigger, { ...mine(trigger), mail: null, sms: null, store: null });
}
const save = useMutation({
  mutationFn: () => saveRules(channel.value, base.value, body.value),
  onSuccess: (saved) => {
    base.value = saved.version;
    body.value = JSON.parse(plain(saved.body)) as Rules;
    client.setQueryData(rulesQuery(channel.value).queryKey, saved);
  },
});
const { isPending: saving } = save;
const release = useMutation({
  mutationFn: letGo,
  onSuccess: () => client.invalidateQueries({ queryKey: ["messages"] }),
});
const discard = () => (body.value = JSON.parse(plain(data.value?.body)) as Rules);
</script>

<template>
  <div class="screen">
    <div class="page" tabindex="0" role="region" aria-label="Messages">
      <div class="head">
        <h1>Messages</h1>
        <span class="mute">What buyers are told of their orders, once for each cause</span>
        <span class="grow" />
        <button
          v-for="(name, key) in PARTS"
          :key="key"
          type="button"
          class="chip"
          :aria-pressed="part === key"
          @click="part = key"
        >
          {{ name }}
        </button>
      </div>
      <ErrorNote :error="error ?? save.error.value ?? release.error.value" />
      <div v-if="data?.held" class="note held" role="status">
        <b>{{ count(data.held, "message") }} wait for your word.</b> More would have gone at once
        than you allow, or they have waited for a mail server for more than a day.
        <template v-if="may('shipper', 'care')">
          <button type="button" class="link" @click="release.mutate(true)">Send them</button>
          <button type="button" class="link" @click="release.mutate(false)">Drop them</button>
        </template>
      </div>
      <template v-if="part === 'words' && data">
        <div class="channels" role="group" aria-label="Channel">
          <button
            v-for="(name, code) in { '': 'All channels', ...data.channels }"
            :key="code"
            type="button"
            class="chip"
            :aria-pressed="channel === code"
            :disabled="changed && channel !== code"
            @click="choose(code)"
          >
            {{ name }}
          </button>
        </div>
        <div class="halves">
          <div>
            <table class="plain-table panel triggers" aria-label="What is told">
              <thead>
                <tr>
                  <th>When</th>
                  <th>Mail</th>
                  <th>SMS</th>
                  <th v-if="channel">The store tells</th>
                </tr>
              </thead>
              <tbody>
                <tr
                  v-for="t in TRIGGERS"
                  :key="t.trigger"
                  :class="{ chosen: chosen === t.trigger }"
                >
                  <td>
                    <button
                      type="button"
                      class="name"
                      :aria-pressed="chosen === t.trigger"
                      @click="chosen = t.trigger"
                    >
                      {{ t.name }}
                    </button>
                    <button
                      v-if="channel && says(t.trigger) && may()"
                      type="button"
                      class="link small"
                      @click="asTheShop(t.trigger)"
                    >
                      as all channels
                    </button>
                  </td>
                  <td v-for="way in ['mail', 'sms'] as const" :key="way">
                    <v-checkbox-btn
                      density="compact"
                      color="primary"
                      :aria-label="`${t.name} by ${way === 'sms' ? 'SMS' : 'mail'}`"
                      :model-value="told(t.trigger, way)"
                      :disabled="!may()"
                      @update:model-value="tell(t.trigger, way, $event === true)"
                    />
                  </td>
                  <td v-if="channel">
                    <v-checkbox-btn
                      density="compact"
                      color="primary"
                      :aria-label="`${t.name}: the store tells it`"
                      :model-value="told(t.trigger, 'store')"
                      :disabled="!may()"
                      @update:model-value="tell(t.trigger, 'store', $event === true)"
                    />
                  </td>
                </tr>
              </tbody>
            </table>
            <MessageLook v-model="body" :channel="channel" :languages="data.languages" />
          </div>
          <MessageEditor
            :key="channel"
            :saved="data"
            :body="body"
            :channel="channel"
            :trigger="chosen"
            @put="put(chosen, $event)"
          />
        </div>
      </template>
      <MessageLog v-else-if="part === 'log'" />
      <ToChannels v-else-if="part === 'channels'" />
      <BlockedAddresses v-else-if="part === 'blocked'" />
    </div>
    <div v-if="changed" class="tray" role="region" aria-label="Changes">
      <div>
        <b>Not saved yet</b>
        <span>It holds for what happens from then on; what was sent is sent.</span>
      </div>
      <span class="grow" />
      <button type="button" class="link" @click="discard">Leave it as it was</button>
      <v-btn size="large" :loading="saving" @click="save.mutate()">Save what is told</v-btn>
    </div>
  </div>
</template>

<style scoped>
.channels {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 4px 0 12px;
}
.halves {
  display: grid;
  grid-template-columns: 380px minmax(0, 1fr);
  gap: 20px;
  align-items: start;
}
.triggers td,
.triggers th {
  padding: 2px 10px;
}
.triggers td:not(:first-child) {
  width: 70px;
}
.triggers tr.chosen td {
  background: var(--mul-soft);
}
.name {
  min-height: 32px;
  padding: 0;
  font: inherit;
  color: inherit;
  text-align: left;
  cursor: pointer;
  background: none;
  border: 0;
}
.chosen .name {
  font-weight: 650;
  color: var(--mul);
}
@media (max-width: 1150px) {
  .head .mute {
    display: none;
  }
  .halves {
    grid-template-columns: 320px minmax(0, 1fr);
  }
}
</style>
