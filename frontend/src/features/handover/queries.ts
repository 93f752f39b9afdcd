import { queryOptions } from "@tanstack/vue-query";
import { api, need } from "../../api/client";

export const todayQuery = queryOptions({
  queryKey: ["today"],
  queryFn: async () => need(await api.GET("/api/today")),
  refetchInterval: 60_000,
});

/** Orders that can be bought at once, page by page. */
export const fetchClear = async (after: string) =>
  need(await api.GET("/api/orders", { params: { query: { view: "clear", after, limit: 500 } } }));
