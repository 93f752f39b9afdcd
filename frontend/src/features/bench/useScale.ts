import { computed, onBeforeUnmount, ref, watch, type Ref } from "vue";

export interface Reading {
  grams: number;
  stable: boolean;
  overload: boolean;
}
const SILENT_AFTER_MS = 3_000;
/** So little lies on an empty scale: dust, a slip of paper. */
const EMPTY_G = 20;
const AGAIN_MS = 2_000;
/** HID point-of-sale usage tables, page 8D: the codes of weight units, as grams. */
const GRAMS: Record<number, number> = { 2: 1, 3: 1000, 11: 28.349523125, 12: 453.59237 };
const STATUS = { moving: 3, stable: 4, under: 5, over: 6, zero: 2 };

/** A data report of a USB scale: status, unit, scaling, weight (little endian); undefined for anything else. */
export function readHid(data: DataView): Reading | undefined {
  if (data.byteLength < 5) return undefined;
  const unit = GRAMS[data.getUint8(1)];
  if (unit === undefined) return undefined;
  const status = data.getUint8(0);
  const weight = data.getUint16(3, true) * 10 ** data.getInt8(2) * unit;
  return {
    grams: Math.round(status === STATUS.under ? -weight : weight),
    stable: status === STATUS.stable || status === STATUS.zero,
    overload: status === STATUS.over,
  };
}

interface HidDevice {
  open(): Promise<void>;
  addEventListener(what: "inputreport", hear: (event: { data: DataView }) => void): void;
}
interface Hid {
  requestDevice(asks: { filters: { usagePage: number }[] }): Promise<HidDevice[]>;
}
const hid = () => (navigator as unknown as { hid?: Hid }).hid;

/** What the scale shows, by the protocol of docs/protocols/scale.md or from USB; undefined while it is silent. */
export function useScale(address: Ref<string>) {
  const raw = ref<Reading>();
  const tare = ref(0);
  let line: WebSocket | undefined;
  let again: number | undefined;
  let silence: number | undefined;
  let ended = false;

  function hear(reading: Reading): void {
    raw.value = reading;
    window.clearTimeout(silence);
    silence = window.setTimeout(() => (raw.value = undefined), SILENT_AFTER_MS);
  }
  function connect(): void {
    line?.close();
    window.clearTimeout(again);
    if (!address.value || ended) return;
    line = new WebSocket(address.value);
    line.onmessage = (event: MessageEvent<string>) => {
      const told = JSON.parse(event.data) as Partial<Reading>;
      if (typeof told.grams === "number")
        hear({ grams: Math.round(told.grams), stable: !!told.stable, overload: !!told.overload });
    };
    line.onclose = () => {
      if (!ended) again = window.setTimeout(connect, AGAIN_MS);
    };
  }
  async function connectUsb(): Promise<void> {
    const [device] = (await hid()?.requestDevice({ filters: [{ usagePage: 0x8d }] })) ?? [];
    if (!device) return;
    await device.open();
    device.addEventListener("inputreport", (event) => {
      const reading = readHid(event.data);
      if (reading) hear(reading);
    });
  }
  watch(address, connect, { immediate: true });
  onBeforeUnmount(() => {
    ended = true;
    window.clearTimeout(again);
    window.clearTimeout(silence);
    line?.close();
  });
  const reading = computed(
    () => raw.value && { ...raw.value, grams: raw.value.grams - tare.value },
  );
  /** Whether it was seen empty since somebody last asked for a new load. */
  const fresh = ref(true);
  const isEmpty = () => reading.value !== undefined && reading.value.grams <= EMPTY_G;
  const awaitLoad = () => (fresh.value = reading.value === undefined || isEmpty());
  watch(reading, () => {
    if (isEmpty()) fresh.value = true;
  });
  const setTare = () => (tare.value = raw.value?.grams ?? 0);
  return {
    reading,
    fresh,
    awaitLoad,
    tare,
    setTare,
    connectUsb,
    usb: computed(() => hid() !== undefined),
  };
}
