import { queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../api/client";

export const fetchStart = async () => need(await api.GET("/api/start"));

export const sendSignIn = async (body: Schemas["SignInIn"]) =>
  need(await api.POST("/api/sign-in", { body }));

export const makeFirstOwner = async (body: Schemas["FirstOwnerIn"]) =>
  await api.POST("/api/first-owner", { body });

export const startQuery = queryOptions({ queryKey: ["start"], queryFn: fetchStart });
