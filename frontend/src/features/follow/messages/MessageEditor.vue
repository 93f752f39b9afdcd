<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed, nextTick, ref, watch } from "vue";
import {
  NO_WORDS,
  sampleQuery,
  sendTest,
  TRIGGERS,
  type Rules,
  type Saved,
  type Trigger,
} from "./queries";
import { count } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { ErrorNote } from "../../../shared/ui";

/** The words of one trigger in one language, and beside them how they look with a real order, while they are typed. */
const props = defineProps<{ saved: Saved; body: Rules; channel: string; trigger: Trigger }>();
type Said = NonNullable<Rules["triggers"]>[Trigger];
type Part = "subject" | "body" | "sms";
const emit = defineEmits<{ put: [said: Said] }>();
const { may, me } = useMe();
const language = ref(props.saved.languages[0] ?? "en");
const number = ref("");
const shown = ref<"mail" | "text" | "sms">("mail");
const dark = ref(false);
const fields = ref<Partial<Record<Part, HTMLElement>>>({});
const last = ref<Part>("body");
const mine = computed(
  () => props.body.triggers?.[props.trigger]?.texts?.[language.value] ?? NO_WORDS,
);
const ofShop = computed(() =>
  props.channel ? props.saved.shop.triggers?.[props.trigger]?.texts?.[language.value] : undefined,
);
const shipped = computed(() => props.saved.shipped[props.trigger]?.[language.value]);
/** What is told: this channel's own words, else the shop's, else those that ship with us. */
const words = (part: Part): string =>
  mine.value[part] || ofShop.value?.[part] || shipped.value?.[part] || "";
function write(part: Part, text: string): void {
  const usual = ofShop.value?.[part] || shipped.value?.[part] || "";
  const before = props.body.triggers?.[props.trigger] ?? {};
  const own = { ...mine.value, [part]: text === usual ? "" : text };
  emit("put", { ...before, texts: { ...before.texts, [language.value]: own } });
}
function asItCame(): void {
  const before = props.body.triggers?.[props.trigger] ?? {};
  emit("put", { ...before, texts: { ...before.texts, [language.value]: NO_WORDS } });
}
/** Put a field where the cursor stood last. */
function insert(field: string): void {
  const input = fields.value[last.value]?.querySelector<HTMLTextAreaElement>("textarea, input");
  if (!input) return;
  const at = input.selectionStart ?? input.value.length;
  write(
    last.value,
    `${input.value.slice(0, at)}{${field}}${input.value.slice(input.selectionEnd ?? at)}`,
  );
  void nextTick(() => {
    input.focus();
    input.setSelectionRange(at + field.length + 2, at + field.length + 2);
  });
}
const asked = computed(() => ({
  channel: props.channel,
  body: props.body,
  trigger: props.trigger,
  language: language.value,
  order_number: number.value.trim(),
}));
const settled = ref(asked.value);
let timer: number | undefined;
watch(asked, (now) => {
  window.clearTimeout(timer);
  timer = window.setTimeout(() => (settled.value = now), 180);
});
const { data: sample, error } = useQuery(
  computed(() => ({ ...sampleQuery(settled.value), enabled: may("shipper", "care") })),
);
/** A mail as programs show it in the dark, which here is a matter of choice and not of the screen. */
const looks = (html: string) =>
  html.replace("(prefers-color-scheme:dark)", dark.value ? "all" : "not all");
const address = ref("");
const sent = ref("");
const test = useMutation({
  mutationFn: () => sendTest(asked.value, address.value.trim()),
  onSuccess: () => (sent.value = address.value.trim()),
});
const { isPending: testing } = test;
const name = computed(() => TRIGGERS.find((t) => t.trigger === props.trigger)?.name);
const own = computed(() => Object.values(mine.value).some(Boolean));
</script>

<template>
  <section class="panel editor" :aria-label="`Words: ${name}`">
    <div class="head">
      <h2>{{ name }}</h2>
      <button
        v-for="one in saved.languages"
        :key="one"
        type="button"
        class="chip"
        :lang="one"
        :aria-pressed="language === one"
        @click="language = one"
      >
        {{ one }}
      </button>
      <span class="grow" />
      <button v-if="own && may()" type="button" class="link" @click="asItCame">
        The words it came with
      </button>
    </div>
    <div :ref="(el) => (fields.subject = el as HTMLElement)" @focusin="last = 'subject'">
      <v-text-field
        label="Subject"
        maxlength="200"
        :model-value="words('subject')"
        :readonly="!may()"
        @update:model-value="write('subject', $event)"
      />
    </div>
    <div :ref="(el) => (fields.body = el as HTMLElement)" @focusin="last = 'body'">
      <v-textarea
        label="Mail"
        rows="7"
        auto-grow
        variant="outlined"
        density="compact"
        maxlength="4000"
        :model-value="words('body')"
        :readonly="!may()"
        @update:model-value="write('body', $event)"
      />
    </div>
    <div :ref="(el) => (fields.sms = el as HTMLElement)" @focusin="last = 'sms'">
      <v-text-field
        label="SMS"
        maxlength="600"
        :hint="
          sample
            ? `${count(sample.sms_length.parts, 'part')}, ${sample.sms_length.places} places${
                sample.sms_length.basic ? '' : '; letters beyond the small alphabet, 70 to a part'
              }`
            : ''
        "
        persistent-hint
        :model-value="words('sms')"
        :readonly="!may()"
        @update:model-value="write('sms', $event)"
      />
    </div>
    <p v-if="may()" class="small fields">
      <span class="mute">Put in:</span>
      <button v-for="f in saved.fields" :key="f" type="button" class="chip" @click="insert(f)">
        {{ f }}
      </button>
    </p>
    <p v-if="sample?.faults.length" class="stop small" role="status">
      ▲ No order can fill {{ sample.faults.slice(0, 3).join(", ") }}; it is shown as ⟨…⟩ and cannot
      be saved.
    </p>
    <template v-if="may('shipper', 'care')">
      <div class="head sample">
        <h3>As it would go</h3>
        <button
          v-for="(title, key) in { mail: 'Mail', text: 'Text only', sms: 'SMS' }"
          :key="key"
          type="button"
          class="chip"
          :aria-pressed="shown === key"
          @click="shown = key"
        >
          {{ title }}
        </button>
        <button type="button" class="chip" :aria-pressed="dark" @click="dark = !dark">Dark</button>
        <span class="grow" />
        <v-text-field
          v-model="number"
          class="number"
          label="With order"
          :placeholder="sample?.order_number"
        />
      </div>
      <ErrorNote :error="error" />
      <template v-if="sample">
        <p class="small mute">
          To {{ (shown === "sms" ? sample.phone : sample.to) || "nobody: no address is known" }}.
          <b>{{ shown === "sms" ? "" : sample.subject }}</b>
        </p>
        <iframe
          v-if="shown === 'mail'"
          sandbox=""
          title="The mail as it looks"
          :srcdoc="looks(sample.html)"
        />
        <pre v-else tabindex="0">{{ shown === "text" ? sample.text : sample.sms }}</pre>
        <form class="test" @submit.prevent="test.mutate()">
          <v-text-field
            v-model="address"
            type="email"
            label="Send it to myself"
            :placeholder="me?.name"
          />
          <v-btn type="submit" variant="outlined" :loading="testing" :disabled="!address.trim()"
            >Send the test</v-btn
          >
          <span v-if="sent" role="status" class="fine">✓ Sent to {{ sent }}</span>
        </form>
        <ErrorNote :error="test.error.value" />
      </template>
    </template>
  </section>
</template>

<style scoped>
.editor {
  padding: 12px 16px;
}
.editor .head {
  gap: 6px;
  margin: 0 0 12px;
}
h2 {
  margin-right: 10px;
}
.editor > div + div {
  margin-top: 12px;
}
.fields {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
}
.sample {
  padding-top: 10px;
  border-top: 1px solid var(--line);
}
.number {
  max-width: 150px;
}
iframe {
  width: 100%;
  height: 430px;
  border: 1px solid var(--line);
}
pre {
  padding: 12px 16px;
  overflow: auto;
  font: inherit;
  white-space: pre-wrap;
  background: var(--soft);
}
.test {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-top: 10px;
}
.test .v-input {
  max-width: 280px;
}
</style>
