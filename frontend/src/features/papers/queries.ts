import { queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../api/client";

export const fetchPrinting = async () => need(await api.GET("/api/printing"));

export const fetchPrints = async () => need(await api.GET("/api/prints"));

export const savePreference = async (body: Schemas["PreferenceIO"]) =>
  need(await api.PUT("/api/printing/preferences", { body }));

export const addPrinter = async (body: Schemas["PrinterIn"]) =>
  need(await api.POST("/api/printers", { body }));

export const lookAtPrinter = async (code: string) =>
  need(await api.POST("/api/printers/{code}/look", { params: { path: { code } } }));

export const removePrinter = async (code: string) =>
  need(await api.DELETE("/api/printers/{code}", { params: { path: { code } } }));

export const saveTemplate = async (body: Schemas["TemplateIO"]) =>
  need(await api.PUT("/api/printing/template", { body }));

export const changePrint = async (jobId: number, body: Schemas["JobChangeIn"]) =>
  need(await api.POST("/api/prints/{job_id}", { params: { path: { job_id: jobId } }, body }));

export const sayPrinted = async (body: Schemas["MarkIn"]) =>
  need(await api.POST("/api/labels/printed", { body }));

export const printingQuery = queryOptions({ queryKey: ["printing"], queryFn: fetchPrinting });

/** Jobs on their way to printers; what a printer says is not told as news, so it is asked again. */
export const printsQuery = (enabled: boolean) =>
  queryOptions({ queryKey: ["prints"], queryFn: fetchPrints, enabled, refetchInterval: 5_000 });

/** Labels of many orders in one file: more than an address can name. */
export const fetchLabels = async (body: Schemas["LabelsIn"]) =>
  need(await api.POST("/api/labels.pdf", { body, parseAs: "blob" })) as unknown as Blob;
