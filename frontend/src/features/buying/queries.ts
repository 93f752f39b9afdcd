import { queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../api/client";

export type Batch = Schemas["BatchOut"];
export type Shipment = Schemas["ShipmentOut"];

export const batchesQuery = (archived: boolean, text: string) =>
  queryOptions({
    queryKey: ["batches", archived, text],
    queryFn: async () =>
      need(await api.GET("/api/batches", { params: { query: { archived, text } } })),
    placeholderData: (before: Schemas["BatchSummaryOut"][] | undefined) => before,
  });

export const batchQuery = (id: number) =>
  queryOptions({
    queryKey: ["batch", id],
    queryFn: async () =>
      need(await api.GET("/api/batches/{batch_id}", { params: { path: { batch_id: id } } })),
    enabled: id > 0,
    // Live news come by event stream; this is the net below it.
    refetchInterval: (query) => (query.state.data?.buying ? 2_000 : false),
  });

/** What would be found if these orders were bought now; ids with the price that was shown. */
export const preflightQuery = (shown: Record<number, number | null>) =>
  queryOptions({
    queryKey: ["orders", "preflight", shown],
    queryFn: async () => need(await api.POST("/api/preflight", { body: { orders: shown } })),
    enabled: Object.keys(shown).length > 0,
    placeholderData: (before: Schemas["PreflightOut"] | undefined) => before,
  });

export const printingQuery = queryOptions({
  queryKey: ["printing"],
  queryFn: async () => need(await api.GET("/api/printing")),
});
