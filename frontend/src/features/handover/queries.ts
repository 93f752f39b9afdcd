import { queryOptions } from "@tanstack/vue-query";
import { api, need } from "../../api/client";

export const todayQuery = queryOptions({
  queryKey: ["today"],
  queryFn: async () => need(await api.GET("/api/today")),
  refetchInterval: 60_000,
});

export const departuresQuery = (day: string | undefined) =>
  queryOptions({
    queryKey: ["departures", day],
    queryFn: async () => need(await api.GET("/api/departures", { params: { query: { day } } })),
    refetchInterval: 60_000,
    placeholderData: (before) => before,
  });

/** All orders that can be bought at once, as they are selected. */
export const pickClear = async () =>
  need(await api.GET("/api/orders/picked", { params: { query: { view: "clear" } } }));

export const settleLateSale = (shipmentId: number, words: string) =>
  api.POST("/api/late-sales/{shipment_id}", {
    params: { path: { shipment_id: shipmentId } },
    body: { words },
  });

export const bringSamples = async () => need(await api.POST("/api/imports/samples"));

export const takeSamplesAway = async (importId: number) =>
  need(
    await api.POST("/api/imports/{import_id}/undo", { params: { path: { import_id: importId } } }),
  );
