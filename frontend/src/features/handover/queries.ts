import { queryOptions } from "@tanstack/vue-query";
import { api, need, sendFile, type Schemas } from "../../api/client";
import { setServerTime } from "../../shared/session";

export const todayQuery = queryOptions({
  queryKey: ["today"],
  queryFn: async () => {
    const today = need(await api.GET("/api/today"));
    setServerTime(today.now); // in the demo somebody can move the simulated clock while a page is open
    return today;
  },
  refetchInterval: 60_000,
});

export const departuresQuery = (day: string | undefined) =>
  queryOptions({
    queryKey: ["departures", day],
    queryFn: async () => need(await api.GET("/api/departures", { params: { query: { day } } })),
    refetchInterval: 60_000,
    placeholderData: (before) => before,
  });

/** All orders that can be bought at once, as they are selected. */
export const pickClear = async () =>
  need(await api.GET("/api/orders/picked", { params: { query: { view: "clear" } } }));

export const settleLabel = (shipmentId: number, words: string) =>
  api.POST("/api/unsettled/{shipment_id}", {
    params: { path: { shipment_id: shipmentId } },
    body: { words },
  });

export const bringSamples = async () => need(await api.POST("/api/imports/samples"));

export const takeSamplesAway = async (importId: number) =>
  need(
    await api.POST("/api/imports/{import_id}/undo", { params: { path: { import_id: importId } } }),
  );

export const pickupsQuery = queryOptions({
  queryKey: ["pickups"],
  queryFn: async () => need(await api.GET("/api/pickups")),
  refetchInterval: 60_000,
});

export const askForPickups = async (wishes: Schemas["PickupIn"][]) =>
  need(await api.POST("/api/pickups", { body: { wishes } }));

export const cancelPickup = async (pickupId: number) =>
  need(
    await api.POST("/api/pickups/{pickup_id}/cancel", {
      params: { path: { pickup_id: pickupId } },
    }),
  );

export const fetchChase = async (pickupId: number) =>
  need(
    await api.GET("/api/pickups/{pickup_id}/chase", { params: { path: { pickup_id: pickupId } } }),
  );

export const chasePickup = async (pickupId: number, mail_to: string) =>
  need(
    await api.POST("/api/pickups/{pickup_id}/chase", {
      params: { path: { pickup_id: pickupId } },
      body: { mail_to },
    }),
  );

export const answerMissed = async (pickupId: number, words: string, came: boolean) =>
  need(
    await api.POST("/api/pickups/{pickup_id}/answer", {
      params: { path: { pickup_id: pickupId } },
      body: { words, came },
    }),
  );

export const setStanding = async (body: Schemas["StandingIO"]) =>
  need(await api.PUT("/api/standing-pickups", { body }));

export const endStanding = async (standingId: number) =>
  need(
    await api.DELETE("/api/standing-pickups/{standing_id}", {
      params: { path: { standing_id: standingId } },
    }),
  );

export const calendarAddress = async () => need(await api.POST("/api/pickups/calendar"));

export const closeManifest = async (body: Schemas["DepartureIn"]) =>
  need(await api.POST("/api/departures/close", { body }));

export const reopenManifest = async (body: Schemas["DepartureIn"]) =>
  need(await api.POST("/api/departures/reopen", { body }));

export const bringIt = async (body: Schemas["BringIn"]) =>
  need(await api.POST("/api/departures/bring", { body }));

export const countOut = async (body: Schemas["CountIn"]) =>
  need(await api.POST("/api/departures/count", { body }));

export const countBack = async (body: Schemas["CountBackIn"]) =>
  need(await api.POST("/api/departures/count/back", { body }));

export const openCountAgain = async (body: Schemas["RecountIn"]) =>
  need(await api.POST("/api/departures/recount", { body }));

export const handOver = async (body: Schemas["HandOverIn"]) =>
  need(await api.POST("/api/departures/hand-over", { body }));

export const movePile = async (body: Schemas["MoveIn"]) =>
  need(await api.POST("/api/departures/move", { body }));

export type Way = Schemas["WaysOut"];
export type Point = Schemas["PointOut"];

/** How departures can leave, asked before their labels are bought. */
export const waysQuery = (departures: Schemas["DepartureIn"][]) =>
  queryOptions({
    queryKey: ["departures", "ways", departures],
    queryFn: async () => need(await api.POST("/api/departures/ways", { body: { departures } })),
    enabled: departures.length > 0,
    placeholderData: (before) => before,
  });

export const pointsQuery = (key: Schemas["DepartureIn"]) =>
  queryOptions({
    queryKey: ["departures", "points", key],
    queryFn: async () =>
      need(await api.GET("/api/drop-off-points", { params: { query: { ...key } } })),
  });

export const bringInPoints = (carrier: string, file: File) =>
  sendFile<Schemas["PointsOut"]>(`/api/carriers/${carrier}/points`, file);

export const askForPoints = async (carrier: string) =>
  need(await api.POST("/api/carriers/{code}/points/ask", { params: { path: { code: carrier } } }));

export const mailReceipt = (departure: Schemas["DepartureIn"], mail_to: string) =>
  api.POST("/api/departures/receipt", { body: { ...departure, mail_to } });
