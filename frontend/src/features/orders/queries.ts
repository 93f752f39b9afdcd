import { infiniteQueryOptions, queryOptions, useQueryClient } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../api/client";

export type OrderRow = Schemas["OrderRow"];
const byId = (id: number) => ({ params: { path: { order_id: id } } });
const fetchSheet = async (id: number) => need(await api.GET("/api/orders/{order_id}", byId(id)));
export type Sheet = Awaited<ReturnType<typeof fetchSheet>>;
export type Asks = Partial<Schemas["AsksIn"]>;

/** The work list, page by page from a key; what is asked for is filtered and sorted by the server. */
export const ordersQuery = (asks: Asks) =>
  infiniteQueryOptions({
    queryKey: ["orders", asks],
    queryFn: async ({ pageParam }) =>
      need(
        await api.GET("/api/orders", {
          params: { query: { ...asks, after: pageParam, limit: 300 } },
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (before) => before,
  });

export const filtersQuery = queryOptions({
  queryKey: ["orders", "filters"],
  queryFn: async () => need(await api.GET("/api/orders/filters")),
});

export const viewsQuery = queryOptions({
  queryKey: ["views"],
  queryFn: async () => need(await api.GET("/api/views")),
});

export const snagGroupsQuery = queryOptions({
  queryKey: ["orders", "snags"],
  queryFn: async () => need(await api.GET("/api/snags")),
});

export const orderQuery = (id: number) =>
  queryOptions({
    queryKey: ["order", id],
    queryFn: () => fetchSheet(id),
    enabled: id > 0,
  });

export const historyQuery = (id: number) =>
  queryOptions({
    queryKey: ["order", id, "history"],
    queryFn: async () =>
      need(await api.GET("/api/orders/{order_id}/history", { params: { path: { order_id: id } } })),
  });

export type Hand = Schemas["HandIn"];

/** After orders changed: the lists, the sheets and the day's counts are asked for again. */
export function useAfterOrders(): () => void {
  const client = useQueryClient();
  return () => {
    for (const key of ["orders", "order", "today"])
      void client.invalidateQueries({ queryKey: [key] });
  };
}

export const changeHand = async (id: number, body: Hand) =>
  need(await api.PATCH("/api/orders/{order_id}/hand", { ...byId(id), body }));

export const setByHand = async (ids: number[], set: Hand) =>
  need(await api.POST("/api/orders/hand", { body: { order_ids: ids, set } }));

export const holdOrders = async (ids: number[], held: boolean) =>
  need(await api.POST("/api/orders/held", { body: { order_ids: ids, held } }));

export const undoLast = async (id: number) =>
  need(await api.POST("/api/orders/{order_id}/undo", byId(id)));

export const joinOrders = async (ids: number[]) =>
  need(await api.POST("/api/orders/join", { body: { order_ids: ids } }));

export const askPrices = async (id: number) =>
  need(await api.POST("/api/orders/{order_id}/ask-prices", byId(id)));

export const takeOver = async (id: number) =>
  need(await api.POST("/api/presence", { body: { order_ids: [id], take_over: true } }));

/** A snag that is none: the same form that mends a wrong address changes a right one. */
export const changesAddress = (row: OrderRow): OrderRow => ({
  ...row,
  snags: [
    { code: "address", level: "warns", words: "Change where it goes", fix: "address", about: "" },
  ],
});
