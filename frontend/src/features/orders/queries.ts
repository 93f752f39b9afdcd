import {
  infiniteQueryOptions,
  keepPreviousData,
  queryOptions,
  useQueryClient,
} from "@tanstack/vue-query";
import { api, sendFile, need, type Schemas } from "../../api/client";

export type OrderRow = Schemas["OrderRow"];
export type PickedOrder = Schemas["PickedOrder"];
const byId = (id: number) => ({ params: { path: { order_id: id } } });
const fetchSheet = async (id: number) => need(await api.GET("/api/orders/{order_id}", byId(id)));
export type Sheet = Awaited<ReturnType<typeof fetchSheet>>;
export type Asks = Partial<Schemas["AsksIn"]>;

/** So many rows come at once: what a screen shows, and some more to scroll to. */
const PAGE = 100;

/** The work list, page by page from a key; what is asked for is filtered and sorted by the server. */
export const ordersQuery = (asks: Asks) =>
  infiniteQueryOptions({
    queryKey: ["orders", asks],
    queryFn: async ({ pageParam }) =>
      need(
        await api.GET("/api/orders", {
          params: { query: { ...asks, after: pageParam, limit: PAGE } },
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (before) => before,
  });

/** All that is asked for, at once, as it is selected. */
export const pickOrders = async (asks: Asks) =>
  need(await api.GET("/api/orders/picked", { params: { query: asks } }));

export const filtersQuery = queryOptions({
  queryKey: ["orders", "filters"],
  queryFn: async () => need(await api.GET("/api/orders/filters")),
});

export const viewsQuery = queryOptions({
  queryKey: ["views"],
  queryFn: async () => need(await api.GET("/api/views")),
});

export const snagGroupsQuery = queryOptions({
  queryKey: ["orders", "snags"],
  queryFn: async () => need(await api.GET("/api/snags")),
});

export const orderQuery = (id: number) =>
  queryOptions({
    queryKey: ["order", id],
    queryFn: () => fetchSheet(id),
    enabled: id > 0,
  });

export const historyQuery = (id: number) =>
  queryOptions({
    queryKey: ["order", id, "history"],
    queryFn: async () =>
      need(await api.GET("/api/orders/{order_id}/history", { params: { path: { order_id: id } } })),
  });

export type Hand = Schemas["HandEditIn"];

/** After orders changed: the lists, the sheets and the day's counts are asked for again. */
export function useAfterOrders(): () => void {
  const client = useQueryClient();
  return () => {
    for (const key of ["orders", "order", "today"])
      void client.invalidateQueries({ queryKey: [key] });
  };
}

export const changeHand = async (id: number, body: Hand) =>
  need(await api.PATCH("/api/orders/{order_id}/hand", { ...byId(id), body }));

/** Say what goods in another currency are worth in the shop's; others get theirs at the same rate. */
export const sayWorth = async (id: number, worth_minor: number, also: number[]) =>
  need(await api.PUT("/api/orders/{order_id}/worth", { ...byId(id), body: { worth_minor, also } }));

export const setByHand = async (ids: number[], set: Hand, seen?: number) =>
  need(await api.POST("/api/orders/hand", { body: { order_ids: ids, set, seen } }));

export const undoMany = async (ids: number[]) =>
  need(await api.POST("/api/orders/undo", { body: { order_ids: ids } }));

export const holdOrders = async (ids: number[], held: boolean) =>
  need(await api.POST("/api/orders/held", { body: { order_ids: ids, held } }));

export const undoLast = async (id: number, ofOthers: boolean) =>
  need(
    await api.POST("/api/orders/{order_id}/undo", {
      params: { path: { order_id: id }, query: { of_others: ofOthers } },
    }),
  );

export const joinOrders = async (ids: number[]) =>
  need(await api.POST("/api/orders/join", { body: { order_ids: ids } }));

export const askPrices = async (id: number) =>
  need(await api.POST("/api/orders/{order_id}/ask-prices", byId(id)));

export const takeOver = async (id: number) =>
  need(await api.POST("/api/presence", { body: { order_ids: [id], take_over: true } }));

/** A snag that is none: the same form that mends a wrong address changes a right one. */
export const changesAddress = (row: OrderRow): OrderRow => ({
  ...row,
  snags: [
    { code: "address", level: "warns", words: "Change where it goes", fix: "address", about: "" },
  ],
});

export const rehearsePromise = async (body: Schemas["PromiseIn"]) =>
  need(await api.POST("/api/promises/rehearse", { body }));

export const setProductFacts = async (sku: string, body: Schemas["ProductFactsIn"]) =>
  need(await api.PATCH("/api/products/{sku}/facts", { params: { path: { sku } }, body }));

export const useBillingNames = async (body: Schemas["OrdersIn"]) =>
  need(await api.POST("/api/orders/billing-name", { body }));

export const clearParty = async (orderId: number, body: Schemas["ClearIn"]) =>
  need(
    await api.POST("/api/orders/{order_id}/clear", {
      params: { path: { order_id: orderId } },
      body,
    }),
  );

export const decideDifference = async (differenceId: number, body: Schemas["DecideIn"]) =>
  need(
    await api.POST("/api/differences/{difference_id}", {
      params: { path: { difference_id: differenceId } },
      body,
    }),
  );

export const voidAndTake = async (differenceId: number, body: Schemas["PrintedTooIn"]) =>
  need(
    await api.POST("/api/differences/{difference_id}/void", {
      params: { path: { difference_id: differenceId } },
      body,
    }),
  );

export const keepHere = async (differenceId: number) =>
  need(
    await api.POST("/api/differences/{difference_id}/keep-here", {
      params: { path: { difference_id: differenceId } },
    }),
  );

export const changeAddress = async (orderId: number, body: Schemas["AddressIn"]) =>
  need(
    await api.PUT("/api/orders/{order_id}/address", {
      params: { path: { order_id: orderId } },
      body,
    }),
  );

export const changeSender = async (orderId: number, sender: Schemas["AddressIO"] | null) =>
  need(
    await api.PUT("/api/orders/{order_id}/sender", {
      params: { path: { order_id: orderId } },
      body: { sender },
    }),
  );

export const fetchImport = async (importId: number) =>
  need(await api.GET("/api/imports/{import_id}", { params: { path: { import_id: importId } } }));

export const setColumns = async (importId: number, body: Schemas["ColumnsIn"]) =>
  need(
    await api.PUT("/api/imports/{import_id}/columns", {
      params: { path: { import_id: importId } },
      body,
    }),
  );

export const readOtherwise = async (importId: number, body: Schemas["ReadingIn"]) =>
  need(
    await api.PUT("/api/imports/{import_id}/reading", {
      params: { path: { import_id: importId } },
      body,
    }),
  );

export const fetchImports = async () => need(await api.GET("/api/imports"));

export const correctRows = async (importId: number, body: Schemas["RowsIn"]) =>
  need(
    await api.PATCH("/api/imports/{import_id}/rows", {
      params: { path: { import_id: importId } },
      body,
    }),
  );

export const undoImport = async (importId: number) =>
  need(
    await api.POST("/api/imports/{import_id}/undo", { params: { path: { import_id: importId } } }),
  );

export const runImport = async (importId: number) =>
  need(
    await api.POST("/api/imports/{import_id}/run", { params: { path: { import_id: importId } } }),
  );

export const annotateOrders = async (body: Schemas["AnnotateIn"]) =>
  need(await api.POST("/api/orders/notes", { body }));

export const saveView = async (body: Schemas["SavedViewIn"]) =>
  need(await api.POST("/api/views", { body }));

export const removeView = async (viewId: number) =>
  await api.DELETE("/api/views/{view_id}", { params: { path: { view_id: viewId } } });

export const letGo = async (body: Schemas["OrdersIn"]) =>
  await api.POST("/api/presence/let-go", { body });

export const startWork = async (body: Schemas["PresenceIn"]) =>
  need(await api.POST("/api/presence", { body }));

export const fetchOrder = async (orderId: number) =>
  need(await api.GET("/api/orders/{order_id}", { params: { path: { order_id: orderId } } }));

export const tryPlan = async (body: Schemas["TrialIn"]) =>
  need(await api.POST("/api/plans/try", { body }));

export const createOrder = async (body: Schemas["TypedOrderIn"]) =>
  need(await api.POST("/api/orders", { body }));

export const setSent = async (orderId: number, body: Schemas["ItemsIn"]) =>
  need(
    await api.POST("/api/orders/{order_id}/sent", {
      params: { path: { order_id: orderId } },
      body,
    }),
  );

export const mailLabels = async (body: Schemas["MailLabelIn"]) =>
  need(await api.POST("/api/labels/mail", { body }));

export const askReturn = async (body: Schemas["ReturnIn"]) =>
  need(await api.POST("/api/returns", { body }));

export const importQuery = (id: number) =>
  queryOptions({
    queryKey: ["import", id],
    queryFn: () => fetchImport(id),
    enabled: id > 0,
    refetchInterval: (query) => (query.state.data?.state === "running" ? 1_000 : false),
  });

export const importsQuery = queryOptions({ queryKey: ["imports"], queryFn: fetchImports });

export const trialQuery = (order: Schemas["TypedOrderIn"], enabled: boolean) =>
  queryOptions({
    queryKey: ["try", order],
    queryFn: () => tryPlan({ order, channel: "hand" }),
    enabled,
    placeholderData: keepPreviousData,
  });

export const rehearsePromiseQuery = (promise: string, recipe: string | null) =>
  queryOptions({
    queryKey: ["rehearsal", "promise", promise, recipe],
    queryFn: () => rehearsePromise({ promise, recipe }),
    enabled: recipe !== null,
  });

export const sendApart = async (id: number, body: Schemas["ItemsIn"]) =>
  need(await api.POST("/api/orders/{order_id}/apart", { ...byId(id), body }));

export const bringOrders = (file: File) => sendFile<Schemas["ImportOut"]>("/api/imports", file);

export const typeNumber = async (labelId: number, number: string) =>
  await api.PUT("/api/labels/{label_id}/number", {
    params: { path: { label_id: labelId } },
    body: { number },
  });
