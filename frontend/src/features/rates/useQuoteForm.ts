import { computed, ref } from "vue";
import { minorOf } from "../../shared/format";
import { useMe } from "../../shared/session";
import { gramsToWeight, lengthToMm, mmToLength, units, weightToGrams } from "../../shared/units";
import type { QuoteAsk } from "./queries";

interface Parcel {
  weight: string;
  sides: string;
  count: string;
}
export interface Form {
  place: number | null;
  country: string;
  postcode: string;
  city: string;
  region: string;
  home: boolean;
  point: string;
  parcels: Parcel[];
  value: string;
  contents: NonNullable<QuoteAsk["contents"]>;
  tender: boolean;
  extras: string[];
  ship: string;
  promise: string;
}
export const blank = (): Form => ({
  place: null,
  country: "PT",
  postcode: "",
  city: "",
  region: "",
  home: true,
  point: "",
  parcels: [{ weight: "", sides: "", count: "1" }],
  value: "",
  contents: [],
  tender: false,
  extras: [],
  ship: "",
  promise: "",
});

/** What is typed of a quote, in the units of the person, and the question it makes once it is complete. */
export function useQuoteForm(kept: Partial<Form>) {
  const { currency } = useMe();
  const form = ref<Form>({ ...blank(), ...kept });
  const figure = (text: string) => {
    const plain = text.trim().replace(",", ".");
    return plain && Number(plain) >= 0 ? Number(plain) : NaN;
  };
  const parcels = computed(() =>
    form.value.parcels.map((p) => {
      const sides = p.sides
        .split(/[x×*\s]+/i)
        .filter(Boolean)
        .map((s) => lengthToMm(figure(s)));
      const weight = weightToGrams(figure(p.weight));
      return weight > 0 && sides.length === 3 && sides.every((s) => s > 0)
        ? {
            weight_g: weight,
            sides_mm: sides as [number, number, number],
            count: figure(p.count) || 1,
            not_stackable: form.value.tender,
          }
        : undefined;
    }),
  );
  const body = computed<QuoteAsk | undefined>(() => {
    const f = form.value;
    if (!f.country || parcels.value.some((p) => !p)) return undefined;
    const address = {
      name: "",
      company: "",
      street: "",
      extra: "",
      city: f.city,
      region: f.region,
      postcode: f.postcode,
      country: f.country,
      phone: "",
      email: "",
    };
    return {
      to: address,
      home: f.home,
      parcels: parcels.value.map((p) => p!),
      value_minor: minorOf(f.value || "0", currency.value) ?? 0,
      contents: f.contents,
      extras: f.extras,
      ship_date: f.ship || null,
      place_id: f.place,
      point: f.point,
      promise: f.promise || null,
    };
  });
  const unitOfWeight = computed(() => (units.value === "imperial" ? "lb" : "kg"));
  const unitOfLength = computed(() => (units.value === "imperial" ? "in" : "cm"));
  function useImperial(next: "metric" | "imperial"): void {
    const [before, after] = [parcels.value, next];
    units.value = after;
    form.value.parcels.forEach((p, i) => {
      const b = before[i];
      if (b) {
        p.weight = gramsToWeight(b.weight_g);
        p.sides = b.sides_mm.map(mmToLength).join(" × ");
      }
    });
  }
  return { form, body, unitOfWeight, unitOfLength, useImperial };
}
