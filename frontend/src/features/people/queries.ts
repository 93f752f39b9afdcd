import { queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../api/client";

export const fetchStart = async () => need(await api.GET("/api/start"));

export const sendSignIn = async (body: Schemas["SignInIn"]) =>
  need(await api.POST("/api/sign-in", { body }));

export const makeFirstOwner = async (body: Schemas["FirstOwnerIn"]) =>
  await api.POST("/api/first-owner", { body });

export const startQuery = queryOptions({ queryKey: ["start"], queryFn: fetchStart });

export const peopleQuery = queryOptions({
  queryKey: ["people"],
  queryFn: async () => need(await api.GET("/api/people")),
});

export const keysQuery = queryOptions({
  queryKey: ["keys"],
  queryFn: async () => need(await api.GET("/api/keys")),
});

export const sessionsQuery = queryOptions({
  queryKey: ["sessions"],
  queryFn: async () => need(await api.GET("/api/me/sessions")),
});

export const doorQuery = (key: string) =>
  queryOptions({
    queryKey: ["door", key],
    queryFn: async () => need(await api.GET("/api/door/{key}", { params: { path: { key } } })),
    retry: false,
  });

export const invitePerson = async (body: Schemas["InviteIn"]) =>
  need(await api.POST("/api/people", { body }));

export const setPerson = async (id: number, body: Schemas["PersonIn"]) =>
  need(await api.PATCH("/api/people/{person_id}", { params: { path: { person_id: id } }, body }));

export const makeDoorLink = async (id: number) =>
  need(await api.POST("/api/people/{person_id}/link", { params: { path: { person_id: id } } }));

export const endSessionsOf = (id: number) =>
  api.POST("/api/people/{person_id}/sign-out", { params: { path: { person_id: id } } });

export const setPasswordByLink = (key: string, password: string) =>
  api.POST("/api/door/{key}", { params: { path: { key } }, body: { password } });

export const changePassword = (body: Schemas["PasswordChangeIn"]) =>
  api.POST("/api/me/password", { body });

export const endSession = (id: number) =>
  api.DELETE("/api/me/sessions/{session_id}", { params: { path: { session_id: id } } });

export const offerFactor = async () => need(await api.POST("/api/me/second-factor"));

export const keepFactor = (body: Schemas["FactorIn"]) => api.PUT("/api/me/second-factor", { body });

export const takeFactorOff = (password: string) =>
  api.POST("/api/me/second-factor/off", { body: { password } });

export const makeKey = async (body: Schemas["KeyIn"]) =>
  need(await api.POST("/api/keys", { body }));

export const changeKey = async (key_id: number) =>
  need(await api.POST("/api/keys/{key_id}/change", { params: { path: { key_id } } }));

export const revokeKey = (id: number) =>
  api.DELETE("/api/keys/{key_id}", { params: { path: { key_id: id } } });

export const erasePerson = async (mail: string) =>
  need(await api.POST("/api/personal-data/erase", { body: { mail } }));
