import { infiniteQueryOptions, queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../api/client";

export type OrderRow = Schemas["OrderRow"];
export type Sheet = Schemas["OrderSheet"];
export type Asks = Partial<Schemas["AsksIn"]>;

/** The work list, page by page from a key; what is asked for is filtered and sorted by the server. */
export const ordersQuery = (asks: Asks) =>
  infiniteQueryOptions({
    queryKey: ["orders", asks],
    queryFn: async ({ pageParam }) => need(await api.GET("/api/orders", { params: { query: { ...asks, after: pageParam, limit: 300 } } })),
    initialPageParam: "",
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (before) => before,
  });

export const filtersQuery = queryOptions({
  queryKey: ["orders", "filters"],
  queryFn: async () => need(await api.GET("/api/orders/filters")),
});

export const viewsQuery = queryOptions({ queryKey: ["views"], queryFn: async () => need(await api.GET("/api/views")) });

export const snagGroupsQuery = queryOptions({ queryKey: ["orders", "snags"], queryFn: async () => need(await api.GET("/api/snags")) });

export const orderQuery = (id: number) =>
  queryOptions({
    queryKey: ["order", id],
    queryFn: async () => need(await api.GET("/api/orders/{order_id}", { params: { path: { order_id: id } } })),
    enabled: id > 0,
  });

export const historyQuery = (id: number) =>
  queryOptions({
    queryKey: ["order", id, "history"],
    queryFn: async () => need(await api.GET("/api/orders/{order_id}/history", { params: { path: { order_id: id } } })),
  });
