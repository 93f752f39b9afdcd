import { useStorage } from "@vueuse/core";
import { computed, type Ref } from "vue";
import { ALL, type Asks, type Parcel } from "./queries";

/** What of the list is looked at, kept in this browser, and the parcels that it leaves. */
export function useAsks(all: Ref<Parcel[]>) {
  const asks = useStorage("tidewind.tracking.asks", ALL, undefined, { mergeDefaults: true });
  const fits = (p: Parcel, asked: Asks): boolean =>
    (!asked.trouble || p.trouble?.kind === asked.trouble) &&
    (!asked.carrier || p.carrier === asked.carrier) &&
    (!asked.country || p.country === asked.country) &&
    asked.words
      .toLowerCase()
      .split(/\s+/)
      .every((word) => textOf(p).includes(word));
  const rows = computed(() => all.value.filter((p) => fits(p, asks.value)));
  /** How many there are of each trouble among what the other filters leave. */
  const counts = computed(() => {
    const found: Record<string, number> = {};
    for (const p of all.value)
      if (p.trouble && fits(p, { ...asks.value, trouble: "" }))
        found[p.trouble.kind] = (found[p.trouble.kind] ?? 0) + 1;
    return found;
  });
  return { asks, rows, counts };
}

const textOf = (p: Parcel): string =>
  [p.order_number, p.name, p.city, p.number, p.service_name, p.trouble?.words, p.words, p.spot]
    .join(" ")
    .toLowerCase();
