import { queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../api/client";

export type Compared = Schemas["ComparedOut"];
export type Cell = Schemas["CellOut"];
export type Service = Schemas["ServiceOut"];
export type QuoteAsk = Schemas["QuoteIn"];
export type Matrix = Schemas["MatrixOut"];
/** A service's best price as a point of the chart. */
export interface Point {
  service: string;
  box: string;
  name: string;
  net: number;
  arrives: string;
  frontier: boolean;
}

export const compareQuery = (id: number) =>
  queryOptions({
    queryKey: ["order", id, "compare"],
    queryFn: async () =>
      need(await api.GET("/api/orders/{order_id}/compare", { params: { path: { order_id: id } } })),
    enabled: id > 0,
    placeholderData: (before) => before,
  });

export const quoteQuery = (body: QuoteAsk | undefined) =>
  queryOptions({
    queryKey: ["quote", body],
    queryFn: async () => need(await api.POST("/api/quote", { body: body! })),
    enabled: Boolean(body),
    placeholderData: (before) => before,
  });

export const matrixQuery = (ids: number[]) =>
  queryOptions({
    queryKey: ["orders", "matrix", ids],
    queryFn: async () => need(await api.POST("/api/matrix", { body: { order_ids: ids } })),
    enabled: ids.length > 0,
    staleTime: 60_000,
  });

const MARKS: Record<string, string> = {
  cheapest: "cheapest",
  fastest: "fastest",
  balanced: "balanced",
  cheapest_on_promise: "cheapest on promise",
  ranking: "own ranking",
};
export function markWords(mark: string): string {
  return MARKS[mark] ?? mark;
}
const TRACKING: Record<string, string> = {
  none: "not tracked",
  delivery_only: "delivery told",
  every_step: "every step tracked",
};
export function trackingQuality(kind: string): string {
  return TRACKING[kind] ?? kind;
}
/** How often it came late, on how many parcels that rests and whose they are. */
export function lateWords(late: Service["lateness"]): string {
  if (late.of === "nothing") return "no record of lateness yet";
  const whose =
    {
      service: "of this service",
      carrier: "of this carrier, the service has too few",
      shop: "of all services, this one has too few",
    }[late.of] ?? "";
  return `late in ${(late.late_bp / 100).toFixed(1)} % of ${late.parcels.toLocaleString("en-GB")} parcels ${whose}`;
}

export const chooseServices = async (body: Schemas["ChoicesIn"]) =>
  need(await api.POST("/api/orders/services", { body }));

export const askQuotePrices = async (body: Schemas["QuoteIn"]) =>
  need(await api.POST("/api/quote/ask-prices", { body }));
