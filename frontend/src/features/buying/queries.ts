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

export const runChecks = async (body: Schemas["CheckIn"]) =>
  need(await api.POST("/api/preflight", { body }));

export const buyLabels = async (body: Schemas["BuyIn"]) =>
  need(await api.POST("/api/purchases", { body }));

export const startBatch = async (body: Schemas["BatchIn"]) =>
  need(await api.POST("/api/batches", { body }));

export const fillBatch = async (batchId: number, body: Schemas["FillIn"]) =>
  need(
    await api.POST("/api/batches/{batch_id}/orders", {
      params: { path: { batch_id: batchId } },
      body,
    }),
  );

export const cancelWaiting = async (batchId: number) =>
  need(
    await api.POST("/api/batches/{batch_id}/cancel", { params: { path: { batch_id: batchId } } }),
  );

export const approveOrders = async (body: Schemas["OrdersIn"]) =>
  need(await api.POST("/api/orders/approve", { body }));

export const startWork = async (body: Schemas["PresenceIn"]) =>
  need(await api.POST("/api/presence", { body }));

export const sendToPrinter = async (body: Schemas["PrintIn"]) =>
  need(await api.POST("/api/prints", { body }));

export const voidLabels = async (body: Schemas["VoidIn"]) =>
  need(await api.POST("/api/voids", { body }));

const ofBatch = (id: number) => ({ params: { path: { batch_id: id } } });

export const changeBatch = async (id: number, body: Schemas["BatchChangeIn"]) =>
  need(await api.PATCH("/api/batches/{batch_id}", { ...ofBatch(id), body }));

export const takeOutOf = async (id: number, body: Schemas["TakeOutIn"]) =>
  need(await api.POST("/api/batches/{batch_id}/take-out", { ...ofBatch(id), body }));

export const scanInto = async (id: number, body: Schemas["ScanIn"]) =>
  need(await api.POST("/api/batches/{batch_id}/scan", { ...ofBatch(id), body }));

export const archiveBatch = async (id: number, body: Schemas["ArchiveIn"]) =>
  need(await api.POST("/api/batches/{batch_id}/archive", { ...ofBatch(id), body }));
