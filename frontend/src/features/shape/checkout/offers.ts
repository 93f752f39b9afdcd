import { queryOptions } from "@tanstack/vue-query";
import { api, need, sendFile, type Schemas } from "../../../api/client";
import { amountText, kilograms } from "../../../shared/format";

/** Offers and tables as they are written (docs/checkout.md); what is not known here is kept as it came. */
export type Kind = "live" | "flat" | "table" | "per_item" | "per_kg";
export interface Price {
  kind: Kind;
  services?: string[];
  each?: boolean;
  minor?: number;
  table?: string;
  first_minor?: number;
  further_minor?: number;
  base_minor?: number;
  kilogram_minor?: number;
}
export interface Offer {
  code: string;
  names: Record<string, string>;
  price: Price;
  on?: boolean;
  percent_bp?: number;
  amount_minor?: number;
  handling?: { order?: number; parcel?: number; item?: number };
  ending_minor?: number | null;
  floor_minor?: number | null;
  ceiling_minor?: number | null;
  free?: { from_minor?: number | null; counts?: "before" | "after" };
  fallback?: { home_minor?: number | null; abroad_minor?: number | null };
  where?: { countries?: string; regions?: string; postcodes?: string };
  basket?: Record<string, number | string[] | null>;
  channels?: string[];
  places?: string[];
  times?: { days?: number[]; from?: string; until?: string };
  takes?: string[];
  groups?: Record<string, number>;
  shows?: "span" | "day" | "nothing";
  packing_days?: number;
}
/** What the shop has that offers name, and its currency. */
export interface Known {
  services: Record<string, string>;
  tables: Record<string, string>;
  channels: Record<string, string>;
  places: string[];
  currency: string;
}
export type By = "weight_g" | "value" | "items" | "volume_cm3";
export interface TableRow {
  countries?: string;
  regions?: string;
  postcodes?: string;
  name?: string;
  prices: (number | null)[];
}
export interface RateTable {
  code: string;
  name: string;
  by: By;
  bands: number[];
  rows: TableRow[];
  narrowest?: boolean;
}
export interface Body {
  offers: Offer[];
  tables: RateTable[];
  keep_s?: number;
  vat_bp?: number;
}
export type Tried = Schemas["BasketTriedOut"];
export type Basket = Schemas["BasketIn"];

/** A body is never changed in place, so a number stands for it: a table of 5,000 rows is no key of a question. */
const numbers = new WeakMap<Body, number>();
let given = 0;
function numberOf(body: Body): number {
  const found = numbers.get(body) ?? (given += 1);
  numbers.set(body, found);
  return found;
}

/** Whether two bodies say the same; what is the same object is not looked into. */
export function isSame(one: Body, other: Body): boolean {
  const alike = (a: unknown[], b: unknown[]) =>
    a.length === b.length &&
    a.every((x, n) => x === b[n] || JSON.stringify(x) === JSON.stringify(b[n]));
  return (
    one === other ||
    (alike(one.offers, other.offers) &&
      alike(one.tables, other.tables) &&
      (one.keep_s ?? 0) === (other.keep_s ?? 0) &&
      (one.vat_bp ?? 0) === (other.vat_bp ?? 0))
  );
}

export const checkoutQuery = queryOptions({
  queryKey: ["checkout"],
  shallow: true,
  structuralSharing: false,
  queryFn: async () => need(await api.GET("/api/checkout")),
});

/** What a basket would be offered by offers that are not saved. */
export const triedQuery = (body: Body, basket: Basket) =>
  queryOptions({
    queryKey: ["checkout", "try", numberOf(body), JSON.stringify(basket)],
    queryFn: async () =>
      need(await api.POST("/api/checkout/try", { body: { body: { ...body }, basket } })),
    placeholderData: (before) => before,
    gcTime: 30_000,
  });

export type Rehearsed = Schemas["OffersRehearsedOut"];

/** What of an offer is turned in a rehearsal: from where on it is free, its percentage, its one price. */
export type Turn = Schemas["RehearseOffersIn"]["turn"];

/** What the last 90 days would have paid by offers that are not saved. */
export const rehearsedQuery = (body: Body, offer: string, turn: Turn, rising_bp: number) =>
  queryOptions({
    queryKey: ["checkout", "rehearse", numberOf(body), offer, turn, rising_bp],
    queryFn: async () =>
      need(
        await api.POST("/api/checkout/rehearse", {
          body: { body: { ...body }, offer, turn, rising_bp },
        }),
      ),
    placeholderData: (before) => before,
    gcTime: 30_000,
  });

export type Case = Schemas["CaseOut"];

/** The baskets that are kept, and what would move for each by offers that are not saved. */
export const casesQuery = (body: Body) =>
  queryOptions({
    queryKey: ["checkout", "cases", numberOf(body)],
    queryFn: async () =>
      need(await api.POST("/api/checkout/cases/run", { body: { body: { ...body } } })),
    placeholderData: (before) => before,
    gcTime: 30_000,
  });

export const keepCase = async (body: Schemas["CaseIn"]) =>
  need(await api.POST("/api/checkout/cases", { body }));

export const dropCase = (case_id: number) =>
  api.DELETE("/api/checkout/cases/{case_id}", { params: { path: { case_id } } });

/** What came of the offers: paid by buyers, against what sending their orders cost. */
export const soldQuery = queryOptions({
  queryKey: ["checkout", "sold"],
  queryFn: async () => need(await api.GET("/api/checkout/sold")),
});

export const basketOfOrder = async (number: string) =>
  need(await api.GET("/api/checkout/basket-of/{number}", { params: { path: { number } } }));

export const saveCheckout = async (body: Schemas["CheckoutIn"]) =>
  need(await api.PUT("/api/checkout", { body }));

/** The tables of a file, to be looked at before they are saved. */
export const readTables = (file: File) =>
  sendFile<Schemas["TablesReadOut"]>("/api/checkout/tables/read", file);

export const restoreCheckout = async (version: number) =>
  need(
    await api.POST("/api/checkout/versions/{version}/restore", { params: { path: { version } } }),
  );

/** A code that none has yet, made of a name. */
export function codeOf(name: string, taken: string[]): string {
  const plain =
    name
      .normalize("NFKD")
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "")
      .slice(0, 24) || "offer";
  let code = plain;
  for (let n = 2; taken.includes(code); n += 1) code = `${plain}-${n}`;
  return code;
}

export const nameOf = (offer: Offer): string =>
  offer.names.en ?? Object.values(offer.names)[0] ?? offer.code;

/** What a percentage in basis points is called: 500 is "5 %". */
export const percentText = (bp: number): string => `${Number((Math.abs(bp) / 100).toFixed(2))} %`;

/** The last digits of a price, as they are said: 90 is ".90"; of a currency without decimals "90". */
export const endingText = (minor: number, currency: string): string => {
  const digits = amountText(0, currency).split(".")[1]?.length ?? 0;
  return digits ? `.${String(minor).padStart(digits, "0")}` : String(minor).padStart(2, "0");
};

/** Where an offer holds, short enough for the corner of its card. */
export function whereText(offer: Offer, countryName: (code: string) => string): string {
  const said = offer.where?.countries?.trim() ?? "";
  const codes = said.replace(/,/g, " ").split(/\s+/).filter(Boolean);
  const not = codes[0]?.toLowerCase() === "not";
  const names = codes.slice(not ? 1 : 0).map((c) => countryName(c.toUpperCase()));
  const some =
    names.length > 3
      ? `${names.slice(0, 2).join(", ")} and ${names.length - 2} more`
      : names.join(", ");
  const countries = !names.length ? "Everywhere" : not ? `Everywhere but ${some}` : some;
  const post = offer.where?.postcodes?.trim() ?? "";
  if (!post) return countries;
  if (/^not\b/i.test(post)) return `${countries}, without some postcodes`;
  return `${countries}, ${post.length > 26 ? `${post.slice(0, 24)}…` : post}`;
}

export const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

/** Which baskets, channels, places and times an offer is for, in words; empty: any. */
export function limitsText(offer: Offer, known: Known): string {
  const basket = offer.basket ?? {};
  const amount = (key: string) => (typeof basket[key] === "number" ? basket[key] : null);
  const words = (key: string) => (Array.isArray(basket[key]) ? basket[key] : []);
  const span = (key: string, what: string, said: (n: number) => string) => {
    const [from, to] = [amount(`${key}_from`), amount(`${key}_to`)];
    if (from === null && to === null) return "";
    if (from === null) return `${what} up to ${said(to!)}`;
    return `${what} ${to === null ? "from" : ""} ${said(from)}${to === null ? " on" : ` to ${said(to)}`}`;
  };
  const list = (key: string, before: string) =>
    words(key).length ? `${before} ${words(key).join(", ")}` : "";
  const times = offer.times ?? {};
  const hours =
    times.from || times.until ? `${times.from || "00:00"} to ${times.until || "24:00"}` : "";
  return [
    span("weight_g", "baskets of", kilograms),
    span("value", "a value of", (minor) => amountText(minor, known.currency)),
    span("items", "", (n) => `${n} pieces`).trim(),
    list("skus", "only"),
    list("not_skus", "nothing of"),
    list("tags", "products tagged"),
    list("not_tags", "no products tagged"),
    (offer.channels ?? []).map((c) => known.channels[c] ?? c).join(" or "),
    offer.places?.length ? `parcels from ${offer.places.join(" or ")}` : "",
    [(times.days ?? []).map((day) => DAYS[day]).join(", "), hours].filter(Boolean).join(", "),
  ]
    .filter(Boolean)
    .map((words) => words.replace(/ +/g, " "))
    .join("; ");
}

/** The usual beginnings: each is an offer that works once its price is typed. */
export const BEGINNINGS: {
  name: string;
  make: (home: string, services: string[]) => Partial<Body>;
}[] = [
  {
    name: "One price at home",
    make: (home) => ({ offers: [offer(home, "Home delivery", { kind: "flat", minor: 490 })] }),
  },
  {
    name: "What it costs, 5 % on top",
    make: (home, services) => ({
      offers: [
        {
          ...offer(home, "Home delivery", { kind: "live", services: services.slice(0, 3) }),
          percent_bp: 500,
          ending_minor: 90,
          fallback: { home_minor: 590, abroad_minor: 1290 },
        },
      ],
    }),
  },
  {
    name: "By weight",
    make: () => ({
      offers: [offer("", "Parcel by weight", { kind: "table", table: "by-weight" })],
      tables: [
        {
          code: "by-weight",
          name: "By weight",
          by: "weight_g",
          bands: [1000, 5000, 20000],
          rows: [{ countries: "", postcodes: "", name: "Everywhere", prices: [490, 690, 1290] }],
        },
      ],
    }),
  },
  {
    name: "Free above a value",
    make: (home) => ({
      offers: [
        {
          ...offer(home, "Home delivery", { kind: "flat", minor: 490 }),
          free: { from_minor: 5000 },
        },
      ],
    }),
  },
];
function offer(countries: string, name: string, price: Price): Offer {
  return { code: "", names: { en: name }, price, where: { countries } };
}
