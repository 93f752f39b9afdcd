import { api, need, sendFile, type Schemas } from "../../api/client";

const path = (name: string) => ({ params: { path: { name } } });

export const fetchBench = async (name: string) =>
  need(await api.GET("/api/benches/{name}", path(name)));

export const sendScan = async (name: string, code: string, client_key: string) =>
  need(await api.POST("/api/benches/{name}/scan", { ...path(name), body: { code, client_key } }));

export const sendWeight = async (name: string, body: Schemas["WeightIn"]) =>
  need(await api.POST("/api/benches/{name}/weigh", { ...path(name), body }));

export const lookAtBench = async (name: string) =>
  need(await api.POST("/api/benches/{name}/look", path(name)));

export const fetchBenchSettings = async () => need(await api.GET("/api/bench/settings"));

export const saveBenchSettings = async (body: Schemas["BenchSettingsIO"]) =>
  need(await api.PUT("/api/bench/settings", { body }));

export const fetchPacked = async () => need(await api.GET("/api/bench/packed"));

export const sendPhoto = (name: string, file: File, packing: string) =>
  sendFile<Schemas["PhotoOut"]>(
    `/api/benches/${encodeURIComponent(name)}/photos${packing ? `?packing=${packing}` : ""}`,
    file,
  );

/** A new badge for somebody, as a file to print; one printed before is worth nothing from then on. */
export const makeBadge = async (personId: number) =>
  need(
    await api.POST("/api/people/{person_id}/badge.pdf", {
      params: { path: { person_id: personId } },
      parseAs: "blob",
    }),
  ) as unknown as Blob;

export const fetchOrderPhotos = async (orderId: number) =>
  need(await api.GET("/api/orders/{order_id}/photos", { params: { path: { order_id: orderId } } }));

export const fetchDeparturePhotos = async (departure: Schemas["DepartureIn"]) =>
  need(await api.GET("/api/departures/photos", { params: { query: { ...departure } } }));
