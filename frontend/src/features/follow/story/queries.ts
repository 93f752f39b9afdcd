import { queryOptions } from "@tanstack/vue-query";
import { api, need } from "../../../api/client";

const at = (order_id: number) => ({ params: { path: { order_id } } });

/** Everything that happened to an order, the newest first, and an answer to its buyer. */
export const storyQuery = (order: number) =>
  queryOptions({
    queryKey: ["order", order, "story"],
    queryFn: async () => need(await api.GET("/api/orders/{order_id}/story", at(order))),
  });

/** The way of what was last sent of an order, or nothing where no two places are known. */
export const wayQuery = (order: number) =>
  queryOptions({
    queryKey: ["order", order, "way"],
    queryFn: async () => (await api.GET("/api/orders/{order_id}/way", at(order))).data ?? null,
  });

/** Who else is told of an order, and its personal line. */
export const tellingQuery = (order: number) =>
  queryOptions({
    queryKey: ["order", order, "telling"],
    queryFn: async () => need(await api.GET("/api/orders/{order_id}/telling", at(order))),
  });

export const setTelling = async (order: number, also_tell: string[], own_line: string) =>
  need(
    await api.PUT("/api/orders/{order_id}/telling", {
      ...at(order),
      body: { also_tell, own_line },
    }),
  );
