import { queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../api/client";

export type OrderRow = Schemas["OrderRow"];
export type Sheet = Schemas["OrderSheet"];
export type Offer = Schemas["OfferOut"];

export const ordersQuery = (view: string, text: string, after = 0) =>
  queryOptions({
    queryKey: ["orders", view, text, after],
    queryFn: async () => need(await api.GET("/api/orders", { params: { query: { view, text, after } } })),
    placeholderData: (before: Schemas["OrderPage"] | undefined) => before,
  });

export const orderQuery = (id: number) =>
  queryOptions({
    queryKey: ["order", id],
    queryFn: async () => need(await api.GET("/api/orders/{order_id}", { params: { path: { order_id: id } } })),
    enabled: id > 0,
  });

export const batchQuery = (id: number) =>
  queryOptions({
    queryKey: ["batch", id],
    queryFn: async () => need(await api.GET("/api/batches/{batch_id}", { params: { path: { batch_id: id } } })),
    enabled: id > 0,
    // Live news come by event stream; this is the net below it.
    refetchInterval: (query) => (query.state.data?.buying ? 2_000 : false),
  });
