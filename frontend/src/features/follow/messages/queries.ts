import { queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../../api/client";

export type Rules = Schemas["MessageRulesBody"];
export type Saved = Schemas["MessageRulesOut"];
export type Trigger = Schemas["SampleIn"]["trigger"];
export type Logged = Schemas["LoggedOut"];
export type Sample = Schemas["SampleOut"];

/** Rules of a channel of which nobody has said anything. */
export const NOTHING: Rules = {
  language: "",
  colour: "",
  quiet_from: "",
  quiet_until: "",
  hold_over: 0,
  triggers: {},
};
export const NO_WORDS = { subject: "", body: "", sms: "" };

/** What each trigger is called, in the order in which a parcel meets them. */
export const TRIGGERS: { trigger: Trigger; name: string }[] = [
  { trigger: "label", name: "Label made" },
  { trigger: "handed_over", name: "Handed over" },
  { trigger: "moving", name: "On its way" },
  { trigger: "out_for_delivery", name: "Out for delivery" },
  { trigger: "awaiting_collection", name: "Waiting to be collected" },
  { trigger: "delivered", name: "Delivered" },
  { trigger: "not_delivered", name: "Not delivered after all" },
  { trigger: "late", name: "Late" },
  { trigger: "problem", name: "Held up" },
  { trigger: "damaged", name: "Damaged on the way" },
  { trigger: "address", name: "Address not found" },
  { trigger: "customs", name: "With customs" },
  { trigger: "lost", name: "Lost" },
  { trigger: "returning", name: "Coming back" },
  { trigger: "refund", name: "Money back" },
];

/** What a channel's buyers are told; of the empty channel: the shop's. */
export const rulesQuery = (channel: string) =>
  queryOptions({
    queryKey: ["messages", "rules", channel],
    queryFn: async () =>
      need(await api.GET("/api/messages/rules", { params: { query: { channel } } })),
  });

export const saveRules = async (channel: string, base_version: number, body: Rules) =>
  need(await api.PUT("/api/messages/rules", { body: { channel, base_version, body } }));

/** One message by rules that are not saved, with a real order. */
export const sampleQuery = (asked: Schemas["SampleIn"]) =>
  queryOptions({
    queryKey: ["messages", "sample", JSON.stringify(asked)],
    queryFn: async () => need(await api.POST("/api/messages/sample", { body: asked })),
    placeholderData: (before) => before,
    retry: false,
    gcTime: 30_000,
  });

export const sendTest = async (asked: Schemas["SampleIn"], recipient: string) =>
  api.POST("/api/messages/test", { body: { ...asked, recipient } });

export const logQuery = (search: string) =>
  queryOptions({
    queryKey: ["messages", "log", search],
    queryFn: async () =>
      need(await api.GET("/api/messages/log", { params: { query: { search } } })),
    placeholderData: (before) => before,
  });

export const letGo = async (send: boolean) =>
  need(await api.POST("/api/messages/held", { body: { send } }));

export const blockedQuery = queryOptions({
  queryKey: ["messages", "blocked"],
  queryFn: async () => need(await api.GET("/api/messages/blocked")),
});

export const block = (address: string) =>
  api.POST("/api/messages/blocked", { body: { address, why: "by_hand", words: "" } });

export const unblock = (address_id: number) =>
  api.DELETE("/api/messages/blocked/{address_id}", { params: { path: { address_id } } });

/** What channels are told of their orders; only what did not get through, if it is stuck. */
export const writeBacksQuery = (stuck: boolean) =>
  queryOptions({
    queryKey: ["messages", "channels", stuck],
    queryFn: async () => need(await api.GET("/api/write-backs", { params: { query: { stuck } } })),
  });

export const tellAgain = (notice_id: number) =>
  api.POST("/api/write-backs/{notice_id}/again", { params: { path: { notice_id } } });
