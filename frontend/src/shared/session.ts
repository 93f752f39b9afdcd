import { queryOptions, useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, need, rememberToken } from "../api/client";
import { units } from "./units";

export const meQuery = queryOptions({
  queryKey: ["me"],
  queryFn: async () => {
    const me = need(await api.GET("/api/me"));
    rememberToken(me.csrf_token);
    setServerTime(me.now);
    units.value = me.units === "imperial" ? "imperial" : "metric";
    return me;
  },
  staleTime: Infinity,
  retry: false,
});

export function useMe() {
  const query = useQuery(meQuery);
  return {
    me: computed(() => query.data.value),
    zone: computed(() => query.data.value?.time_zone ?? "UTC"),
    currency: computed(() => query.data.value?.currency ?? "EUR"),
    may: (...roles: string[]) => ["owner", ...roles].includes(query.data.value?.role ?? ""),
  };
}

/** The shop's clock, ticking; set right by the server's own time whenever that is told. */
export const now = ref(new Date());
let offset = 0;
export function setServerTime(iso: string): void {
  offset = new Date(iso).getTime() - Date.now();
  now.value = new Date(Date.now() + offset);
}
setInterval(() => (now.value = new Date(Date.now() + offset)), 10_000);
