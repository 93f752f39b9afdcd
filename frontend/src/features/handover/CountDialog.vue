<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, onMounted, ref } from "vue";
import { countBack, countOut, handOver } from "./queries";
import { ChangeDecision } from "../orders";
import SignaturePad from "./SignaturePad.vue";
import { keyOf } from "./useDepartures";
import { type Schemas } from "../../api/client";
import { capital, count, day } from "../../shared/format";
import { soundRight, soundWrong } from "../../shared/sound";
import { FormDialog } from "../../shared/ui";

/** The driver's count: parcels are scanned out one by one, each answered by word, shape and sound; then it is handed over. */
const props = defineProps<{ lane: Schemas["LaneOut"] }>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const code = ref("");
const field = ref<HTMLInputElement | null>(null);
const counted = ref(props.lane.piles.reduce((n, p) => n + p.counted, 0));
const of = ref(props.lane.piles.reduce((n, p) => n + p.labels, 0));
const last = ref<Schemas["CountedOut"]>();
const wrong = ref<Schemas["CountedOut"][]>([]);
const number = ref("");
/** An order that must not go before somebody has decided. */
const deciding = ref(0);
const driver = ref("");
const signature = ref("");
const WORDS: Record<Schemas["CountedOut"]["verdict"], string> = {
  right: "Goes",
  twice: "Twice",
  not_listed: "Not with this one",
  other_truck: "Another truck",
  gone: "Gone already",
  not_to_go: "Stop, must not go",
  unknown: "Unknown",
};
const scan = useMutation({
  mutationFn: countOut,
  onSuccess: (said) => {
    last.value = said;
    counted.value = said.counted;
    of.value = said.of;
    if (said.verdict === "right") soundRight();
    else {
      soundWrong();
      wrong.value = [said, ...wrong.value].slice(0, 8);
    }
  },
  onError: soundWrong,
});
const back = useMutation({
  mutationFn: () => countBack({ ...keyOf(props.lane), code: "" }),
  onSuccess: (said) => {
    last.value = undefined;
    counted.value = said.counted;
    of.value = said.of;
    field.value?.focus();
  },
});
/** What is scanned and taken back goes one after the other, so that a quick hand loses none and takes back the right one. */
let turn: Promise<unknown> = Promise.resolve();
function inTurn(deed: () => Promise<unknown>): void {
  turn = turn.then(() => deed().catch(() => undefined));
}
function take(): void {
  const typed = code.value.trim();
  code.value = "";
  if (!typed) return;
  inTurn(() => scan.mutateAsync({ ...keyOf(props.lane), code: typed }));
}
const done = useMutation({
  mutationFn: handOver,
  onSuccess: async () => {
    await Promise.all(
      [["departures"], ["today"]].map((queryKey) => client.invalidateQueries({ queryKey })),
    );
  },
});
const { isPending: handing } = done;
/** What the driver signs for stands beside what was scanned; where they differ somebody says which it is. */
const signed = computed(() => Number(number.value) || 0);
const going = computed(() => signed.value || counted.value);
const stays = computed(() => of.value - going.value);
/** Some were scanned and some not, and nobody has said yet what the driver took. */
const asks = computed(() => !signed.value && counted.value > 0 && counted.value < of.value);
function send(): void {
  done.mutate({
    ...keyOf(props.lane),
    number: signed.value || undefined,
    driver: driver.value,
    signature: signature.value.trim(),
  });
}
onMounted(() => field.value?.focus());
</script>

<template>
  <FormDialog
    :title="`Count ${lane.name} with the driver`"
    :width="760"
    :error="done.error.value ?? scan.error.value ?? back.error.value"
    :closes="done.data.value ? 'Close' : 'Not now'"
    @close="emit('close')"
    @send="done.data.value ? emit('close') : send()"
  >
    <template v-if="done.data.value">
      <p class="big fine">✓ {{ count(done.data.value.parcels, "parcel") }} handed over</p>
      <p v-for="m in done.data.value.left" :key="m.order_id" :class="m.late ? 'stop' : 'press'">
        {{ m.order_number }} stays here and goes on {{ day(m.leaves)
        }}<template v-if="m.arrives">, arrives {{ day(m.arrives) }}</template
        ><template v-if="m.late">, later than its buyer was promised</template>.
      </p>
    </template>
    <template v-else>
      <div class="count">
        <div>
          <label for="count-code">Scan each parcel</label>
          <input
            id="count-code"
            ref="field"
            v-model="code"
            class="code mono"
            autocomplete="off"
            spellcheck="false"
            @keydown.enter.prevent="take"
          />
          <p class="mute small">
            A label or an order number. Without a scanner, write how many the driver took below.
          </p>
        </div>
        <div class="far" aria-live="assertive">
          <p class="figure">
            {{ counted }} <span class="mute">of {{ of }}</span>
          </p>
          <button
            v-if="counted"
            type="button"
            class="link small"
            :disabled="back.isPending.value"
            @click="inTurn(() => back.mutateAsync())"
          >
            Take the last one back
          </button>
          <p v-if="last" class="verdict" :class="last.verdict === 'right' ? 'good' : 'bad'">
            <b>{{ last.verdict === "right" ? "✓" : "✕" }} {{ WORDS[last.verdict] }}</b>
            <br />{{ last.order_number ? `${last.order_number}: ` : "" }}{{ capital(last.words) }}
          </p>
          <button
            v-if="last?.decide_order_id"
            type="button"
            class="link"
            @click="deciding = last.decide_order_id"
          >
            Decide about {{ last.order_number }}
          </button>
        </div>
      </div>
      <ul v-if="wrong.length" class="wrong" aria-label="What was wrong">
        <li v-for="(w, i) in wrong" :key="i" class="press">
          {{ WORDS[w.verdict] }}: {{ w.order_number ? `${w.order_number}, ` : "" }}{{ w.words }}
        </li>
      </ul>
      <div class="fields">
        <v-text-field
          v-model="number"
          label="Parcels the driver signs for"
          inputmode="numeric"
          :hint="counted ? `${counted} scanned, ${of} lie there` : `${of} are to go`"
          persistent-hint
        />
        <v-text-field v-model="driver" label="Driver's name" maxlength="120" />
      </div>
      <SignaturePad v-model="signature" />
      <p v-if="asks" class="press" role="status">
        {{ counted }} of {{ of }} scanned. Did the driver take
        <button type="button" class="link" @click="number = String(of)">all {{ of }}</button> or
        <button type="button" class="link" @click="number = String(counted)">
          {{ counted }}</button>?
      </p>
      <p v-else-if="going && stays > 0" class="press" role="status">
        {{ count(stays, "parcel") }} {{ stays === 1 ? "stays: it goes" : "stay: they go" }} with the
        next departure, and the orders say so.
      </p>
    </template>
    <template #actions>
      <v-btn type="submit" :loading="handing" :disabled="!done.data.value && (!going || asks)">
        {{ done.data.value ? "Done" : `Hand over ${count(going, "parcel")}` }}
      </v-btn>
    </template>
  </FormDialog>
  <ChangeDecision v-if="deciding" :order-id="deciding" @close="deciding = 0" />
</template>

<style scoped>
.count {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 20px;
}
.code {
  display: block;
  width: 100%;
  padding: 10px;
  font-size: 18px;
  color: var(--ink);
  background: var(--sheet);
  border: 2px solid var(--mul);
}
.figure {
  margin: 0;
  font-size: 40px;
  font-weight: 680;
  line-height: 1.1;
}
.verdict {
  padding: 8px 12px;
  margin: 6px 0;
  border-left: 6px solid;
}
.good {
  color: var(--leaf);
  background: var(--leaf-soft);
}
.bad {
  color: var(--brick);
  background: var(--brick-soft);
}
.big {
  font-size: 26px;
  font-weight: 680;
}
.wrong {
  margin: 6px 0 6px 18px;
}
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 14px;
  margin: 12px 0;
}
</style>
