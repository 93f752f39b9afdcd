import { queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../api/client";

export const packagingQuery = queryOptions({
  queryKey: ["packaging"],
  queryFn: async () => need(await api.GET("/api/packaging")),
  staleTime: 60_000,
});

export const carriersQuery = queryOptions({
  queryKey: ["carriers"],
  queryFn: async () => need(await api.GET("/api/carriers")),
  staleTime: 60_000,
});

export const placesQuery = queryOptions({
  queryKey: ["places"],
  queryFn: async () => need(await api.GET("/api/places")),
  staleTime: 60_000,
});

/** Keep an address in the address book, without a code of its own. */
export const keepContact = async (home: boolean, address: Schemas["AddressIO"]) =>
  need(await api.POST("/api/contacts", { body: { code: "", home, address } }));
