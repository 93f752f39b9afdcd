import { computed, onBeforeUnmount, onMounted, ref } from "vue";
import { fetchBench, lookAtBench, sendScan, sendWeight } from "./queries";
import { ProblemError, type Schemas } from "../../api/client";
import { soundRight, soundWrong } from "../../shared/sound";
import type { Reading } from "./useScale";

type Bench = Schemas["BenchOut"];
interface Waiting {
  code: string;
  key: string;
  /** The bench it was made at; missing in what an older page kept. */
  bench?: string;
  /** It was made while no answer came. */
  late?: boolean;
}
/** What a scan that had to wait for the network meant when it was taken. */
export interface Late {
  code: string;
  kind: string;
  words: string;
}
const MOST_LATE = 12;
const LOOK_MS = 600;
const AGAIN_MS = 1_500;
const LATE_MS = 700;
/** Parcels that lie aside are looked at so often: their labels come while other orders are packed. */
const ASIDE_MS = 3_000;
const NAME = "tidewind-bench";
const QUEUE = "tidewind-bench-scans";

/** A key that no other scan has; made by hand, since `randomUUID` is missing where a bench is reached by plain HTTP. */
const freshKey = () =>
  [...crypto.getRandomValues(new Uint8Array(16))]
    .map((n) => n.toString(16).padStart(2, "0"))
    .join("");

/** The server understood and said no; whatever else went wrong is tried again. */
const isNo = (error: unknown): boolean => error instanceof ProblemError && error.status < 500;

/** What nobody at the bench may miss, and the labels that have come for parcels set aside. */
const troubles = (bench: Bench | undefined): string[] => [
  bench?.changed ?? "",
  bench?.printer ?? "",
  ...(bench?.asides ?? []).filter((one) => one.kind === "refused").map((one) => one.number),
];
const come = (bench: Bench | undefined): string[] =>
  (bench?.asides ?? [])
    .filter((one) => one.kind === "come" && one.printed)
    .map((one) => one.number);
const isNew = (now: string[], before: string[]): boolean =>
  now.some((words) => words && !before.includes(words));

/** Read what an earlier page of this bench has not got an answer for. */
function kept(): Waiting[] {
  try {
    return JSON.parse(localStorage.getItem(QUEUE) ?? "[]") as Waiting[];
  } catch {
    return [];
  }
}

/**
 * A bench and what it shows. Scans wait in a queue that outlives the page: each is sent until it is answered, once, in its
 * order, so that neither a lost answer nor a dead bench loses or doubles one.
 */
export function useBench() {
  const name = ref(localStorage.getItem(NAME) ?? "Bench 1");
  const bench = ref<Bench>();
  const waiting = ref<Waiting[]>(kept());
  const offline = ref(false);
  const failure = ref<unknown>();
  const seen = ref(0);
  const late = ref<Late[]>([]);
  let busy = false;
  let timer: number | undefined;

  function show(found: Bench): void {
    bench.value = found;
    offline.value = false;
    failure.value = undefined;
    window.clearTimeout(timer);
    if (found.phase === "buying") timer = window.setTimeout(() => void look(), LOOK_MS);
    else if (found.asides.length || found.printer) timer = window.setTimeout(see, ASIDE_MS);
  }
  /** Look at what lies around the order on the bench; what has come of it is heard. */
  async function see(): Promise<void> {
    if (busy) return;
    try {
      const found = await fetchBench(name.value);
      const before = bench.value;
      show(found);
      if (isNew(troubles(found), troubles(before))) soundWrong();
      else if (isNew(come(found), come(before))) soundRight();
    } catch {
      offline.value = true;
      timer = window.setTimeout(() => void see(), AGAIN_MS);
    }
  }
  function answer(found: Bench): void {
    show(found);
    seen.value += 1;
    if (found.said.kind === "right") soundRight();
    if (found.said.kind === "wrong") soundWrong();
  }
  async function look(): Promise<void> {
    if (busy) return;
    try {
      const found = await lookAtBench(name.value);
      if (found.phase === "buying") show(found);
      else answer(found);
    } catch {
      offline.value = true;
      timer = window.setTimeout(() => void look(), AGAIN_MS);
    }
  }
  function keep(): void {
    localStorage.setItem(QUEUE, JSON.stringify(waiting.value));
  }
  async function drain(): Promise<void> {
    if (busy) return;
    busy = true;
    window.clearTimeout(timer);
    let next: Waiting | undefined;
    while ((next = waiting.value[0])) {
      try {
        const found = await sendScan(next.bench ?? name.value, next.code, next.key);
        if (next.late) tellLate(next, found.said.kind, `${found.said.word}: ${found.said.words}`);
        else late.value = [];
        if (next.bench === undefined || next.bench === name.value) answer(found);
        // One after the other, so that each is heard: a wrong one among them must not pass unnoticed.
        if (next.late) await new Promise((done) => window.setTimeout(done, LATE_MS));
      } catch (error) {
        if (!isNo(error)) {
          offline.value = true; // no answer came: the same scan is sent again, and counts once
          waiting.value.forEach((one) => (one.late = true));
          keep();
          break;
        }
        failure.value = error;
        if (next.late) tellLate(next, "wrong", (error as Error).message);
        soundWrong();
      }
      waiting.value.shift();
      keep();
    }
    busy = false;
    if (waiting.value.length) timer = window.setTimeout(() => void drain(), AGAIN_MS);
  }
  function tellLate(scan: Waiting, kind: string, words: string): void {
    late.value = [...late.value, { code: scan.code, kind, words }].slice(-MOST_LATE);
  }
  function scan(code: string): void {
    waiting.value.push({ code, key: freshKey(), bench: name.value, late: offline.value });
    keep();
    void drain();
  }
  async function weigh(reading: Reading | undefined, fresh: boolean): Promise<void> {
    try {
      answer(
        await sendWeight(name.value, {
          grams: reading?.grams ?? null,
          stable: reading?.stable ?? true,
          overload: reading?.overload ?? false,
          fresh,
        }),
      );
    } catch (error) {
      if (isNo(error)) failure.value = error;
      else offline.value = true;
    }
  }
  async function start(): Promise<void> {
    try {
      show(await fetchBench(name.value));
    } catch (error) {
      if (isNo(error)) failure.value = error;
      else {
        offline.value = true;
        timer = window.setTimeout(() => void start(), AGAIN_MS);
        return;
      }
    }
    void drain();
  }
  function choose(other: string): void {
    name.value = other;
    localStorage.setItem(NAME, other);
    bench.value = undefined;
    void start();
  }
  onMounted(() => void start());
  onBeforeUnmount(() => window.clearTimeout(timer));
  return {
    name,
    bench,
    offline,
    failure,
    seen,
    see,
    late,
    scan,
    weigh,
    choose,
    waiting: computed(() => waiting.value.length),
  };
}
