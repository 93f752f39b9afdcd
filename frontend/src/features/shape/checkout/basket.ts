import { computed, reactive, watch, type Ref } from "vue";
import { type Basket } from "./offers";
import { amountText, minorOf } from "../../../shared/format";

const KEPT = "tidewind.checkout.basket";
const LINE = /^\s*(?:(\d{1,4})\s*[x×]\s*)?(\S.*?)\s*$/;

/** The basket that is tried, as it is typed; kept in this browser. */
export function useBasket(currency: Ref<string>) {
  const basket = reactive({
    goods: "2 × TR-02, 1 × SC-BEE",
    value: "46.70",
    country: "PT",
    postcode: "3500-108",
    ...(JSON.parse(localStorage.getItem(KEPT) ?? "{}") as object),
  });
  watch(basket, (now) => localStorage.setItem(KEPT, JSON.stringify(now)));
  const lines = computed(() =>
    basket.goods
      .split(",")
      .map((part) => LINE.exec(part))
      .filter((m): m is RegExpExecArray => m !== null)
      .map((m) => ({ sku: m[2]!, quantity: Math.max(Number(m[1] ?? 1), 1) })),
  );
  /** What the basket is worth is spread over its pieces; what is left of it lies on the first. */
  const asked = computed<Basket | undefined>(() => {
    const worth = minorOf(basket.value, currency.value) ?? 0;
    const pieces = lines.value.reduce((n, l) => n + l.quantity, 0);
    if (!pieces || !/^[A-Za-z]{2}$/.test(basket.country.trim())) return undefined;
    const each = Math.floor(worth / pieces);
    const [first, ...rest] = lines.value.map((l) => ({ ...l, unit_price_minor: each }));
    const over = worth - each * pieces;
    const head = over
      ? [
          { ...first!, quantity: 1, unit_price_minor: each + over },
          ...(first!.quantity > 1 ? [{ ...first!, quantity: first!.quantity - 1 }] : []),
        ]
      : [first!];
    return {
      lines: [...head, ...rest],
      country: basket.country.trim().toUpperCase(),
      postcode: basket.postcode.trim(),
    } as Basket;
  });
  /** A basket as it was kept or ordered, put into the fields. */
  function take(kept: Basket): void {
    basket.goods = kept.lines.map((l) => `${l.quantity} × ${l.sku}`).join(", ");
    const worth = kept.lines.reduce((n, l) => n + l.quantity * (l.unit_price_minor ?? 0), 0);
    basket.value = amountText(worth, currency.value);
    basket.country = kept.country;
    basket.postcode = kept.postcode ?? "";
  }
  return { basket, asked, take };
}
