<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import BenchAround from "./BenchAround.vue";
import BenchAsides from "./BenchAsides.vue";
import BenchItems from "./BenchItems.vue";
import BenchSide from "./BenchSide.vue";
import { sendPhoto } from "./queries";
import { useBench } from "./useBench";
import { useScale } from "./useScale";
import { useScanner } from "./useScanner";
import { todayQuery } from "../handover";
import { ChangeDecision } from "../orders";
import { count, timeLeft } from "../../shared/format";
import { SelectField } from "../../shared/ui";
import { now, useMe } from "../../shared/session";

/** The packing bench: one instruction, what is in the parcel, the scale; only a scanner is needed, and nothing is clicked. */
const router = useRouter();
const { zone } = useMe();
const { name, bench, offline, failure, seen, see, late, scan, weigh, choose, waiting } = useBench();
// News of the order that is open bring the bench anew, so that a change in its channel is said at once.
useQuery(
  computed(() => ({
    queryKey: ["order", bench.value?.order_id ?? 0, "bench"],
    queryFn: async () => {
      await see();
      return null;
    },
    enabled: !!bench.value?.order_id,
    staleTime: Infinity,
  })),
);
const { data: today } = useQuery(todayQuery);
const address = computed(() => bench.value?.settings.scale_address ?? "");
const scale = useScale(address);
const { typed } = useScanner(scan);
const help = ref(false);
/** An order that must not be packed before somebody has decided what its channel changed. */
const deciding = ref(0);
const camera = ref<HTMLInputElement | null>(null);
const DO = (action: string) => `TWCODE-DO-${action}`;
const BENCHES = ["Bench 1", "Bench 2", "Bench 3", "Bench 4", "Bench 5", "Bench 6"];
const benches = computed(() =>
  [...new Set([name.value, ...BENCHES])].map((value) => ({ value, title: value })),
);

const leaving = computed(() =>
  today.value?.departures.find(
    (d) => new Date(d.cutoff_at) > now.value && d.bought + d.printed + d.to_buy > 0,
  ),
);
const toPack = computed(
  () => today.value?.departures.reduce((n, d) => n + d.bought + d.to_buy, 0) ?? 0,
);
const said = computed(() => bench.value?.said);
const shape = computed(() => ({ right: "✓", wrong: "✕", note: "•" })[said.value?.kind || "note"]);
const loud = computed(() =>
  offline.value || failure.value ? "wrong" : said.value?.kind || "quiet",
);
/** A reading at rest is taken by itself, once; what was refused waits until the scale shows something else. */
const taken = ref<number>();
watch(
  () => [bench.value?.phase, scale.reading.value?.grams, scale.reading.value?.stable] as const,
  ([phase, grams, stable]) => {
    if (phase !== "weigh") taken.value = undefined;
    if (phase !== "weigh" || !stable || !grams || grams <= 0 || grams === taken.value) return;
    if (!scale.fresh.value) return; // the parcel before lies there still
    taken.value = grams;
    void weigh(scale.reading.value, true);
  },
);
/** Each parcel is weighed by a load of its own: what lies on the scale when an order is opened is another's. */
watch(
  () => [bench.value?.packing_id, bench.value?.weights_g.length] as const,
  () => scale.awaitLoad(),
);
let pictured = "";
watch(seen, () => {
  if (said.value?.act === "weigh") void weigh(scale.reading.value, scale.fresh.value);
  if (said.value?.act === "photo") {
    pictured = said.value.packing;
    camera.value?.click();
  }
  help.value = said.value?.act === "help";
});
const photo = useMutation({ mutationFn: (file: File) => sendPhoto(name.value, file, pictured) });
function taking(event: Event): void {
  const field = event.target as HTMLInputElement;
  const file = field.files?.[0];
  if (file) photo.mutate(file);
  field.value = "";
}
const ACTIONS = [
  ["Skip", "SKIP"],
  ["Undo", "UNDO"],
  ["Take weight", "WEIGH"],
  ["Send what is here", "SEND-PART"],
  ["Print again", "PRINT-AGAIN"],
  ["Photo", "PHOTO"],
  ["Help", "HELP"],
] as const;
</script>

<template>
  <main class="bench" :class="`is-${loud}`">
    <header class="top">
      <span>
        <SelectField
          :model-value="name"
          label="Bench"
          :items="benches"
          class="pick"
          theme="dark"
          @update:model-value="choose"
        />
        · {{ bench?.packer }}
        <span v-if="bench" class="soft">
          · {{ bench.packed_today }} packed today<template v-if="bench.mistakes_today"
            >, {{ count(bench.mistakes_today, "mistake") }} stopped</template
          ></span
        >
      </span>
      <span class="grow" />
      <span v-if="leaving">
        {{ leaving.name }} leaves <b class="soon">{{ timeLeft(leaving.cutoff_at, now, zone) }}</b> ·
        {{ toPack }} to pack
      </span>
      <button type="button" class="out" @click="router.push('/today')">Leave the bench</button>
    </header>
    <p v-if="offline" class="banner" role="alert">
      ✕ No connection.
      {{
        waiting
          ? `${count(waiting, "scan")} wait${waiting === 1 ? "s" : ""} here, and ${waiting === 1 ? "is" : "are"} sent by ${waiting === 1 ? "itself" : "themselves"}.`
          : "It is tried again."
      }}
    </p>
    <template v-if="bench">
      <h1>{{ bench.headline }}</h1>
      <p class="sub">{{ bench.sub }}</p>
      <section v-if="said?.word" class="said" :class="`is-${said.kind}`" aria-live="assertive">
        <span class="shape" aria-hidden="true">{{ shape }}</span>
        <b>{{ said.word }}</b>
        <span>{{ said.words }}</span>
        <button
          v-for="choice in said.choices"
          :key="choice.code"
          type="button"
          class="decide"
          @click="scan(choice.code)"
        >
          {{ choice.words }}
        </button>
        <button
          v-if="said.order"
          type="button"
          class="decide"
          @click="deciding = Number(said.order)"
        >
          Decide now
        </button>
      </section>
      <ChangeDecision v-if="deciding" :order-id="deciding" @close="deciding = 0" />
      <p v-if="failure" class="banner" role="alert">✕ {{ (failure as Error).message }}</p>
      <p v-if="photo.error.value" class="banner" role="alert">✕ {{ photo.error.value.message }}</p>
      <p v-if="photo.data.value" class="soft">A picture is kept with this parcel.</p>
      <BenchAround :bench="bench" :late="late" />
      <div v-if="bench.facts" class="work">
        <BenchItems :lines="bench.lines" :boxes="bench.facts.boxes" :parcel="bench.parcel" />
        <BenchSide
          :bench="bench"
          :reading="scale.reading.value"
          :tared="scale.tare.value !== 0"
          :fresh="scale.fresh.value"
        />
      </div>
      <div v-else class="empty">
        <p v-if="!said?.word" class="soft">
          Packing slips carry the order's barcode; a label's own works, too. Codes for the rest are
          printed from Set-up, Bench.
        </p>
      </div>
      <BenchAsides :asides="bench.asides" />
      <ul v-if="help" class="help">
        <li>A product's barcode counts one; after “5 pieces” it counts five.</li>
        <li>Confirm stands for an item without a barcode, and takes a weight as it is.</li>
        <li>
          Skip leaves an order with what was scanned; Hold and Send what is here ask for a reason.
        </li>
        <li>A recipe or a box from the code sheets changes how the parcel goes.</li>
        <li>Undo takes back what was done last; before it voids a label it asks.</li>
        <li>Where a label is awaited, scan the next slip: the parcel waits aside for it.</li>
        <li>Release, after the slip of an order on hold, lets it go.</li>
      </ul>
    </template>
    <p v-else-if="!offline" class="sub">Fetching the bench…</p>
    <p class="typed" aria-hidden="true">{{ typed }}</p>
    <footer class="acts">
      <button
        v-for="[words, action] in ACTIONS"
        :key="action"
        type="button"
        @click="scan(DO(action))"
      >
        {{ words }}
      </button>
      <button v-if="scale.reading.value" type="button" @click="scale.setTare">Tare</button>
      <button v-else-if="scale.usb.value" type="button" @click="scale.connectUsb">USB scale</button>
    </footer>
    <input
      ref="camera"
      class="sr"
      type="file"
      accept="image/*"
      capture="environment"
      aria-label="A picture of the parcel"
      tabindex="-1"
      @change="taking"
    />
  </main>
</template>

<style scoped>
.bench {
  --bench: #23282e;
  --panel: #2c3339;
  --edge: #454c53;
  --pale: #f7f5f2;
  --dim: #b4b9bd;
  --good: #9ccb93;
  --bad: #f5a393;
  --now: #e8b65a;
  display: flex;
  flex-direction: column;
  height: 100vh;
  padding: 18px 32px 20px;
  overflow: auto;
  color: var(--pale);
  background: var(--bench);
  border: 10px solid var(--bench);
}
.bench.is-wrong {
  background: #4a221c;
  border-color: var(--bad);
}
.bench.is-right {
  border-color: #3f6b3a;
}
.top {
  display: flex;
  gap: 14px;
  align-items: center;
  font-size: 18px;
  color: var(--dim);
}
.pick {
  min-width: 130px;
}
.pick :deep(.v-field__input) {
  font-size: inherit;
}
.soon {
  color: var(--now);
}
.soft {
  color: var(--dim);
}
.out {
  padding: 6px 14px;
  font: inherit;
  font-size: 15px;
  color: var(--dim);
  background: none;
  border: 1px solid var(--edge);
}
h1 {
  margin: 14px 0 4px;
  font-size: clamp(38px, 4.6vw, 84px);
  font-weight: 700;
  line-height: 1.08;
}
.sub {
  margin: 0 0 14px;
  font-size: clamp(18px, 1.6vw, 28px);
  color: var(--dim);
}
.said {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 18px;
  align-items: baseline;
  padding: 8px 18px;
  margin-bottom: 14px;
  font-size: clamp(19px, 1.7vw, 30px);
  background: var(--panel);
  border-left: 10px solid var(--edge);
}
.said b,
.shape {
  font-size: 1.45em;
  white-space: nowrap;
}
.said.is-right {
  border-color: var(--good);
}
.said.is-right b,
.said.is-right .shape {
  color: var(--good);
}
.said.is-wrong {
  background: #2a1310;
  border-color: var(--bad);
}
.said.is-wrong b,
.said.is-wrong .shape {
  font-size: 1.9em;
  color: var(--bad);
}
.decide {
  margin-left: auto;
  white-space: nowrap;
  padding: 4px 18px;
  font: inherit;
  color: var(--pale);
  cursor: pointer;
  background: none;
  border: 2px solid var(--bad);
}
.banner {
  padding: 10px 18px;
  margin: 10px 0;
  font-size: 22px;
  color: var(--bad);
  background: #2a1310;
}
.work {
  display: grid;
  flex: 1;
  grid-template-columns: minmax(0, 21fr) minmax(0, 10fr);
  gap: 30px;
  align-content: start;
  min-height: 0;
}
.empty {
  flex: 1;
  font-size: 20px;
}
.help {
  padding: 12px 34px;
  margin: 12px 0;
  font-size: 19px;
  line-height: 1.6;
  background: var(--panel);
}
.typed {
  min-height: 22px;
  margin: 8px 0;
  font-family: "Atkinson Hyperlegible Mono Variable", monospace;
  font-size: 16px;
  color: var(--dim);
}
.acts {
  display: flex;
  gap: 14px;
}
.acts button {
  flex: 1;
  min-height: 64px;
  font: inherit;
  font-size: 17px;
  color: var(--pale);
  cursor: pointer;
  background: none;
  border: 1px solid var(--edge);
}
.bench button:focus-visible,
.bench select:focus-visible {
  outline: 3px solid var(--now);
}
.sr {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
