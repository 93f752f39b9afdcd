import { queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../../api/client";

export type Parcel = Schemas["UnderWayOut"];
export type Band = Schemas["BandOut"];
export type Deed = "carrier" | "buyer";

/** What is under way, and what of it needs somebody. */
export const followingQuery = queryOptions({
  queryKey: ["tracking"],
  queryFn: async () => need(await api.GET("/api/following")),
  refetchInterval: 60_000,
});

const at = (shipment_id: number) => ({ params: { path: { shipment_id } } });

/** The mail as it would go to a parcel's carrier or buyer. */
export const letterQuery = (shipment: number, to: Deed) =>
  queryOptions({
    queryKey: ["tracking", "letter", shipment, to],
    queryFn: async () =>
      to === "buyer"
        ? need(await api.GET("/api/following/{shipment_id}/buyer", at(shipment)))
        : need(await api.GET("/api/following/{shipment_id}/carrier", at(shipment))),
    gcTime: 0,
  });

export const sendLetter = async (shipment: number, to: Deed, mail_to: string) =>
  to === "buyer"
    ? need(await api.POST("/api/following/{shipment_id}/buyer", at(shipment)))
    : need(
        await api.POST("/api/following/{shipment_id}/carrier", {
          ...at(shipment),
          body: { mail_to },
        }),
      );

export const seeTo = (shipment: number, words: string) =>
  api.POST("/api/following/{shipment_id}/seen-to", { ...at(shipment), body: { words } });

/** Codes of carriers that nobody has explained. */
export const codesQuery = queryOptions({
  queryKey: ["tracking", "codes"],
  queryFn: async () => need(await api.GET("/api/following/codes")),
});

export const explainCode = async (body: Schemas["ExplainIn"]) =>
  need(await api.PUT("/api/following/codes", { body }));
