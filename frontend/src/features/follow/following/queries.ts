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

export type Asks = Schemas["FollowingAsks"];
export const ALL: Asks = { trouble: "", carrier: "", country: "", words: "" };

export const followingViewsQuery = queryOptions({
  queryKey: ["views", "tracking"],
  queryFn: async () => need(await api.GET("/api/following/views")),
});

export const saveFollowingView = async (name: string, asks: Asks) =>
  need(await api.POST("/api/following/views", { body: { name, asks } }));

export const removeFollowingView = (view_id: number) =>
  api.DELETE("/api/views/{view_id}", { params: { path: { view_id } } });

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

/** What is followed though we did not send it. */
export const followedQuery = queryOptions({
  queryKey: ["tracking", "followed"],
  queryFn: async () => need(await api.GET("/api/followed")),
});

export const followNumber = async (body: Schemas["FollowNumberIn"]) =>
  need(await api.POST("/api/followed", { body }));

export const unfollow = (followed_id: number) =>
  api.DELETE("/api/followed/{followed_id}", { params: { path: { followed_id } } });

export type Claim = Schemas["ClaimOut"];

/** What is claimed for parcels that were lost or damaged. */
export const claimsQuery = queryOptions({
  queryKey: ["tracking", "claims"],
  queryFn: async () => need(await api.GET("/api/claims")),
});

const claim = (claim_id: number) => ({ params: { path: { claim_id } } });

export const claimLetterQuery = (id: number) =>
  queryOptions({
    queryKey: ["tracking", "claims", id],
    queryFn: async () => need(await api.GET("/api/claims/{claim_id}/letter", claim(id))),
    gcTime: 0,
  });

export const openClaim = async (shipment_id: number, kind: "lost" | "damaged") =>
  need(await api.POST("/api/claims", { body: { shipment_id, kind } }));

export const sendClaim = async (id: number, mail_to: string) =>
  need(await api.POST("/api/claims/{claim_id}/send", { ...claim(id), body: { mail_to } }));

export const settleClaim = async (id: number, body: Schemas["SettleClaimIn"]) =>
  need(await api.POST("/api/claims/{claim_id}/settle", { ...claim(id), body }));
