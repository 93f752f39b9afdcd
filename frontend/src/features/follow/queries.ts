import { queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../api/client";

export const fetchForm = async (key: string) =>
  need(await api.GET("/api/request-form/{key}", { params: { path: { key } } }));

export const sendRequest = async (key: string, body: Schemas["RequestIn"]) =>
  need(await api.POST("/api/request-form/{key}", { params: { path: { key } }, body }));

export const fetchAsked = async (viewKey: string) =>
  need(await api.GET("/api/asked/{view_key}", { params: { path: { view_key: viewKey } } }));

export const fetchRequests = async () => need(await api.GET("/api/requests"));

export const fetchLinks = async () => need(await api.GET("/api/request-links"));

export const approveRequest = async (requestId: number, body: Schemas["ApproveIn"]) =>
  need(
    await api.POST("/api/requests/{request_id}/approve", {
      params: { path: { request_id: requestId } },
      body,
    }),
  );

export const declineRequest = async (requestId: number, body: Schemas["DeclineIn"]) =>
  need(
    await api.POST("/api/requests/{request_id}/decline", {
      params: { path: { request_id: requestId } },
      body,
    }),
  );

export const addLink = async (body: Schemas["LinkIn"]) =>
  need(await api.POST("/api/request-links", { body }));

export const switchLink = async (linkId: number, body: Schemas["LinkActiveIn"]) =>
  need(
    await api.PATCH("/api/request-links/{link_id}", {
      params: { path: { link_id: linkId } },
      body,
    }),
  );

export const fetchReturns = async () => need(await api.GET("/api/returns"));

/** Ask once more for a label that its carrier would not make. */
export const askReturnAgain = async (returnId: number) =>
  need(
    await api.POST("/api/returns/{return_id}/again", { params: { path: { return_id: returnId } } }),
  );

export const closeReturn = async (returnId: number, body: Schemas["CloseReturnIn"]) =>
  need(
    await api.POST("/api/returns/{return_id}/close", {
      params: { path: { return_id: returnId } },
      body,
    }),
  );

export const returnsQuery = queryOptions({ queryKey: ["returns"], queryFn: fetchReturns });

export const requestsQuery = queryOptions({ queryKey: ["requests"], queryFn: fetchRequests });

export const linksQuery = queryOptions({ queryKey: ["requests", "links"], queryFn: fetchLinks });

/** What a colleague asked for by a link, as it stands: the page stays open until the label came. */
export const askedQuery = (key: string) =>
  queryOptions({
    queryKey: ["asked", key],
    queryFn: () => fetchAsked(key),
    retry: false,
    refetchInterval: 20_000,
  });

export const formQuery = (key: string) =>
  queryOptions({ queryKey: ["request-form", key], queryFn: () => fetchForm(key), retry: false });

export const receiveReturn = async (number: string) =>
  need(await api.POST("/api/returns/receive", { body: { number } }));

/** By which rules buyers start returns themselves. */
export const returnRulesQuery = queryOptions({
  queryKey: ["returns", "rules"],
  queryFn: async () => need(await api.GET("/api/returns/rules")),
});

export const saveReturnRules = async (body: Schemas["ReturnRulesIn"]) =>
  need(await api.PUT("/api/returns/rules", { body }));
