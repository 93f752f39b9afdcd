import { queryOptions } from "@tanstack/vue-query";
import { api, need, sendFile, type Schemas } from "../../api/client";

export type Customs = Schemas["CustomsOut"];
export type CustomsSaid = Schemas["CustomsSaidIO"];

/** What an order declares and needs at its border; it follows the order. */
export const customsQuery = (orderId: number) =>
  queryOptions({
    queryKey: ["order", orderId, "customs"],
    queryFn: async () =>
      need(
        await api.GET("/api/orders/{order_id}/customs", {
          params: { path: { order_id: orderId } },
        }),
      ),
  });

export const setCustoms = async (orderId: number, body: Schemas["CustomsEditIn"]) =>
  need(
    await api.PUT("/api/orders/{order_id}/customs", {
      params: { path: { order_id: orderId } },
      body,
    }),
  );

/** What the border asked for in the end. */
export const sayCharged = async (orderId: number, charged_minor: number | null) =>
  need(
    await api.PUT("/api/orders/{order_id}/customs/charged", {
      params: { path: { order_id: orderId } },
      body: { charged_minor },
    }),
  );

export const chargedQuery = queryOptions({
  queryKey: ["customs", "charged"],
  queryFn: async () => need(await api.GET("/api/customs/charged")),
});

/** An own invoice in the place of ours. */
export const takeInvoice = (orderId: number, file: File) =>
  sendFile<Customs>(`/api/orders/${orderId}/customs/invoice`, file, "PUT");

export const dropInvoice = async (orderId: number) =>
  need(
    await api.DELETE("/api/orders/{order_id}/customs/invoice", {
      params: { path: { order_id: orderId } },
    }),
  );

/** What a border would ask for goods that are no order yet; null where none is crossed. */
export const estimateQuery = (asked: {
  country: string;
  postcode: string;
  value_minor: number;
  sender_pays: boolean;
  hs_code: string;
}) =>
  queryOptions({
    queryKey: ["customs", "estimate", asked],
    queryFn: async () => need(await api.GET("/api/customs/estimate", { params: { query: asked } })),
    enabled: Boolean(asked.country && asked.value_minor),
  });

/** Codes that everyday words most likely mean. */
export const codesQuery = (text: string) =>
  queryOptions({
    queryKey: ["customs", "codes", text],
    queryFn: async () => need(await api.GET("/api/customs/codes", { params: { query: { text } } })),
    enabled: text.trim().length > 2,
    staleTime: 600_000,
  });

/** Why a description is too vague for customs, and a better one. */
export const wordsQuery = (sku: string, text: string) =>
  queryOptions({
    queryKey: ["customs", "words", sku, text],
    queryFn: async () =>
      need(await api.GET("/api/customs/words", { params: { query: { sku, text } } })),
    enabled: Boolean(sku),
  });

export const tablesQuery = queryOptions({
  queryKey: ["customs", "tables"],
  queryFn: async () => need(await api.GET("/api/customs/tables")),
});

export const replaceTables = (file: File) =>
  sendFile<Schemas["TablesOut"]>("/api/customs/tables", file, "PUT");

export const numbersQuery = queryOptions({
  queryKey: ["customs", "numbers"],
  queryFn: async () => need(await api.GET("/api/customs/numbers")),
});

export const setNumbers = async (numbers: Record<string, string>) =>
  need(await api.PUT("/api/customs/numbers", { body: { numbers } }));
