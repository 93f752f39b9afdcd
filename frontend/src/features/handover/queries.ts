import { queryOptions } from "@tanstack/vue-query";
import { api, need } from "../../api/client";

export const todayQuery = queryOptions({
  queryKey: ["today"],
  queryFn: async () => need(await api.GET("/api/today")),
  refetchInterval: 60_000,
});
