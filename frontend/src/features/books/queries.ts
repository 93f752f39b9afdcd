import { keepPreviousData, queryOptions } from "@tanstack/vue-query";
import { api, need, type QueryOf, type Schemas } from "../../api/client";

export const fetchCover = async () => need(await api.GET("/api/cover"));

export const saveCover = async (body: Schemas["CoverIO"] | null) =>
  need(await api.PUT("/api/cover", { body }));

export const fetchLimits = async () => need(await api.GET("/api/money/settings"));

export const saveLimits = async (body: Schemas["MoneySettings"]) =>
  need(await api.PUT("/api/money/settings", { body }));

export const fetchLedger = async (query: QueryOf<"/api/money", "get">) =>
  need(await api.GET("/api/money", { params: { query } }));

export const fetchRefunds = async () => need(await api.GET("/api/refunds"));

export const sendTopUp = async (body: Schemas["TopUpIn"]) =>
  need(await api.POST("/api/money/top-up", { body }));

export const noteBillPaid = async (body: Schemas["BillIn"]) =>
  need(await api.POST("/api/money/bill-paid", { body }));

export const chaseRefund = async (shipmentId: number, body: Schemas["ChaseIn"]) =>
  need(
    await api.POST("/api/refunds/{shipment_id}/chase", {
      params: { path: { shipment_id: shipmentId } },
      body,
    }),
  );

export const ledgerQuery = (asks: QueryOf<"/api/money", "get">) =>
  queryOptions({
    queryKey: ["money", asks],
    queryFn: () => fetchLedger(asks),
    placeholderData: keepPreviousData,
  });

export const refundsQuery = queryOptions({ queryKey: ["refunds"], queryFn: fetchRefunds });

export const limitsQuery = queryOptions({ queryKey: ["money", "settings"], queryFn: fetchLimits });

export const coverQuery = queryOptions({ queryKey: ["money", "cover"], queryFn: fetchCover });
