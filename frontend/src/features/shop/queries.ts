import { infiniteQueryOptions, queryOptions } from "@tanstack/vue-query";
import { api, sendFile, need, type Schemas, type QueryOf } from "../../api/client";

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

export const fetchCard = async (code: string, cardId: number) =>
  need(
    await api.GET("/api/carriers/{code}/cards/{card_id}", {
      params: { path: { code, card_id: cardId } },
    }),
  );

export const switchCarrier = async (code: string, body: Schemas["CarrierIn"]) =>
  need(await api.PATCH("/api/carriers/{code}", { params: { path: { code } }, body }));

export const setClaimDays = (code: string, days: number | null) =>
  api.PUT("/api/carriers/{code}/claim-days", { params: { path: { code } }, body: { days } });

export const removeCard = async (code: string, cardId: number) =>
  await api.DELETE("/api/carriers/{code}/cards/{card_id}", {
    params: { path: { code, card_id: cardId } },
  });

export const fetchChannels = async () => need(await api.GET("/api/channels"));

export const fetchLog = async (code: string) =>
  need(await api.GET("/api/channels/{code}/log", { params: { path: { code } } }));

export const fetchCounts = async (code: string) =>
  need(await api.GET("/api/channels/{code}/counts", { params: { path: { code } } }));

export const connectChannel = async (code: string, body: Schemas["ConnectIn"]) =>
  await api.POST("/api/channels/{code}/connect", { params: { path: { code } }, body });

export const fetchContacts = async (query: QueryOf<"/api/contacts", "get">) =>
  need(await api.GET("/api/contacts", { params: { query } }));

export const saveContact = async (body: Schemas["ContactIO"]) =>
  need(await api.POST("/api/contacts", { body }));

export const removeContact = async (contactId: number) =>
  await api.DELETE("/api/contacts/{contact_id}", { params: { path: { contact_id: contactId } } });

export const savePackaging = async (body: Schemas["PackagingIO"]) =>
  need(await api.POST("/api/packaging", { body }));

export const savePlace = async (body: Schemas["PlaceIO"]) =>
  need(await api.POST("/api/places", { body }));

export const fetchProducts = async (query: QueryOf<"/api/products", "get">) =>
  need(await api.GET("/api/products", { params: { query } }));

export const editProducts = async (body: Schemas["ProductsEdit"]) =>
  need(await api.PATCH("/api/products", { body }));

export const fetchLists = async () => need(await api.GET("/api/restricted"));

export const fetchClearances = async () => need(await api.GET("/api/clearances"));

export const tryName = async (query: QueryOf<"/api/restricted/try", "get">) =>
  need(await api.GET("/api/restricted/try", { params: { query } }));

export const cardQuery = (code: string | undefined, card: number | undefined) =>
  queryOptions({
    queryKey: ["carriers", code, card],
    queryFn: () => fetchCard(code!, card!),
    enabled: code !== undefined && card !== undefined,
  });

export const listsQuery = queryOptions({ queryKey: ["restricted"], queryFn: fetchLists });

export const clearancesQuery = queryOptions({ queryKey: ["clearances"], queryFn: fetchClearances });

export const tryNameQuery = (name: string) =>
  queryOptions({
    queryKey: ["restricted", "try", name],
    queryFn: () => tryName({ name }),
    enabled: name.trim().length > 3,
  });

export const channelsQuery = queryOptions({ queryKey: ["channels"], queryFn: fetchChannels });

export const channelLogQuery = (code: string | undefined) =>
  queryOptions({
    queryKey: ["channels", code, "log"],
    queryFn: () => fetchLog(code!),
    enabled: code !== undefined,
  });

/** What of a channel did not come in: states that nobody mapped, orders that could not be read. */
export const channelAsideQuery = (code: string | undefined) =>
  queryOptions({
    queryKey: ["channels", code, "aside"],
    queryFn: async () =>
      need(await api.GET("/api/channels/{code}/aside", { params: { path: { code: code ?? "" } } })),
    enabled: code !== undefined,
  });

/** What is known between us and a channel of the pieces left to sell. */
export const channelStockQuery = (code: string | undefined, wanted: boolean) =>
  queryOptions({
    queryKey: ["channels", code, "stock"],
    queryFn: async () =>
      need(await api.GET("/api/channels/{code}/stock", { params: { path: { code: code ?? "" } } })),
    enabled: code !== undefined && wanted,
  });

/** What waits at the channel by its states; it is asked itself, so whoever may not ask gets none. */
export const channelCountsQuery = (code: string | undefined, ask: boolean) =>
  queryOptions({
    queryKey: ["channels", code, "counts"],
    queryFn: () => fetchCounts(code!),
    enabled: code !== undefined && ask,
    retry: false,
  });

export const contactsQuery = (text: string, enabled = true) =>
  queryOptions({ queryKey: ["contacts", text], queryFn: () => fetchContacts({ text }), enabled });

export const countPieces = async (body: Schemas["ShelfCountIn"]) =>
  need(await api.PUT("/api/products/stock", { body }));

export const productsQuery = (text: string, missing: QueryOf<"/api/products", "get">["missing"]) =>
  infiniteQueryOptions({
    queryKey: ["products", text, missing],
    queryFn: ({ pageParam }) => fetchProducts({ text, missing, after: pageParam }),
    initialPageParam: "",
    getNextPageParam: (last) => last.next ?? undefined,
  });

export const saveMapping = async (code: string, body: Schemas["ChannelMapping"]) =>
  need(await api.PUT("/api/channels/{code}", { params: { path: { code } }, body }));

export const pullNow = async (code: string) =>
  need(await api.POST("/api/channels/{code}/pull", { params: { path: { code } } }));

export const testChannel = async (code: string) =>
  need(await api.POST("/api/channels/{code}/test", { params: { path: { code } } }));

export const pauseChannel = async (code: string, body: Schemas["PausedIn"]) =>
  need(await api.POST("/api/channels/{code}/paused", { params: { path: { code } }, body }));

export const fetchConsent = async (code: string) =>
  need(await api.GET("/api/channels/{code}/consent", { params: { path: { code } } }));

export const rehearseAccount = async (
  code: string,
  query: QueryOf<"/api/carriers/{code}/accounts/rehearse", "post">,
  body: Schemas["RehearseAccountIn"],
) =>
  need(
    await api.POST("/api/carriers/{code}/accounts/rehearse", {
      params: { path: { code }, query },
      body,
    }),
  );

export const addAccount = async (code: string, body: Schemas["AccountIn"]) =>
  need(await api.POST("/api/carriers/{code}/accounts", { params: { path: { code } }, body }));

const account = (code: string, id: number) => ({ params: { path: { code, account_id: id } } });

export const changeAccount = async (code: string, id: number, body: Schemas["AccountIn"]) =>
  need(
    await api.PATCH("/api/carriers/{code}/accounts/{account_id}", { ...account(code, id), body }),
  );

export const removeAccount = async (code: string, id: number) =>
  need(await api.DELETE("/api/carriers/{code}/accounts/{account_id}", account(code, id)));

export const bringContacts = (file: File) =>
  sendFile<Schemas["BroughtIn"]>("/api/contacts/file", file);

export const bringProducts = (file: File) =>
  sendFile<Schemas["BroughtIn"]>("/api/products/file", file);

export const bringParties = (source: string, file: File) =>
  sendFile<Schemas["WorkOut"]>(`/api/restricted?source=${encodeURIComponent(source)}`, file);

export const checkCard = (code: string, file: File) =>
  sendFile<Schemas["ProposalOut"]>(`/api/carriers/${code}/cards/check`, file);

export const rehearseCard = (code: string, past: boolean, file: File) =>
  sendFile<Schemas["RehearsalOut"]>(`/api/carriers/${code}/cards/rehearse?past=${past}`, file);

export const bringCard = (code: string, file: File) =>
  sendFile<Schemas["CardOut"]>(`/api/carriers/${code}/cards`, file);

/** Add a carrier that is known by its price list alone. */
export const addCarrier = (name: string, account: string, file: File) =>
  sendFile<Schemas["CarrierOut"]>("/api/carriers", file, "POST", { name, account });

export const tryWithout = async (code: string) =>
  need(await api.POST("/api/carriers/{code}/without", { params: { path: { code } } }));

export const removeCarrier = async (code: string) =>
  need(await api.DELETE("/api/carriers/{code}", { params: { path: { code } } }));

export const addRange = async (code: string, body: Schemas["RangeIn"]) =>
  need(await api.POST("/api/carriers/{code}/ranges", { params: { path: { code } }, body }));

export const removeRange = async (code: string, rangeId: number) =>
  await api.DELETE("/api/carriers/{code}/ranges/{range_id}", {
    params: { path: { code, range_id: rangeId } },
  });

export const shopQuery = queryOptions({
  queryKey: ["shop"],
  queryFn: async () => need(await api.GET("/api/shop")),
});

export const saveShop = async (body: Schemas["ShopIO"]) =>
  need(await api.PUT("/api/shop", { body }));

export const mailQuery = queryOptions({
  queryKey: ["shop", "mail"],
  queryFn: async () => need(await api.GET("/api/shop/mail")),
});

export const saveMail = async (body: Schemas["MailServerIn"]) =>
  need(await api.PUT("/api/shop/mail", { body }));

export const tryMail = async (recipient: string) =>
  need(await api.POST("/api/shop/mail/test", { body: { recipient } }));

export const signingQuery = queryOptions({
  queryKey: ["shop", "signing"],
  queryFn: async () => need(await api.GET("/api/shop/mail/signing")),
});

/** Keep a key that mails are signed with, or have one made. */
export const keepSigningKey = async (body: Schemas["SigningKeyIn"]) =>
  need(await api.POST("/api/shop/mail/signing", { body }));

export const signMails = async (on: boolean) =>
  need(await api.PUT("/api/shop/mail/signing", { body: { on } }));

export const forgetSigningKey = async () => need(await api.DELETE("/api/shop/mail/signing"));

export const takeStarters = async () => need(await api.POST("/api/packaging/starters"));

/** Ask who is at an address, by the open protocol, and take that carrier on. */
export const connectCarrier = async (body: Schemas["ConnectCarrierIn"]) =>
  need(await api.POST("/api/carriers/connect", { body }));

/** Ask which store is at an address, by the open protocol, and take it on. */
export const connectStore = async (body: Schemas["ConnectStoreIn"]) =>
  need(await api.POST("/api/channels", { body }));

/** What one parcel to somewhere costs with every carrier; those that tell their prices on asking are asked first. */
export async function priceForOne(
  country: string,
  postcode: string,
  grams: number,
  sides: [number, number, number],
  asks: boolean,
) {
  const nobody = { name: "", company: "", street: "", extra: "", city: "", region: "" };
  const to = { ...nobody, postcode, country, phone: "", email: "" };
  const parcel = { weight_g: grams, sides_mm: sides, count: 1, not_stackable: false };
  const body = {
    to,
    home: true,
    parcels: [parcel],
    value_minor: 0,
  } as unknown as Schemas["QuoteIn"];
  if (asks) need(await api.POST("/api/quote/ask-prices", { body }));
  return need(await api.POST("/api/quote", { body }));
}

export const feedsQuery = (enabled: boolean) =>
  queryOptions({
    queryKey: ["feeds"],
    queryFn: async () => need(await api.GET("/api/feeds")),
    enabled,
  });

const byFeed = (feedId: number) => ({ params: { path: { feed_id: feedId } } });

export const saveFeed = async (id: number | undefined, body: Schemas["FeedIn"]) =>
  id
    ? need(await api.PUT("/api/feeds/{feed_id}", { ...byFeed(id), body }))
    : need(await api.POST("/api/feeds", { body }));

export const tryFeed = async (id: number | undefined, body: Schemas["FeedIn"]) =>
  id
    ? need(await api.POST("/api/feeds/{feed_id}/try", { ...byFeed(id), body }))
    : need(await api.POST("/api/feeds/try", { body }));

export const fetchFeed = async (id: number) =>
  need(await api.POST("/api/feeds/{feed_id}/fetch", byFeed(id)));

export const removeFeed = async (id: number) => {
  await api.DELETE("/api/feeds/{feed_id}", byFeed(id));
};

/** What the shop puts on its papers, its logo among it. */
export const templateQuery = queryOptions({
  queryKey: ["printing", "template"],
  queryFn: async () => need(await api.GET("/api/printing/template")),
});

export const bringLogo = (file: File) =>
  sendFile<Schemas["TemplateIO"]>("/api/printing/logo", file, "PUT");

export const removeLogo = async () => need(await api.DELETE("/api/printing/logo"));

export const smsQuery = queryOptions({
  queryKey: ["shop", "sms"],
  queryFn: async () => need(await api.GET("/api/shop/sms")),
});

export const saveSms = async (body: Schemas["SmsGatewayIn"]) =>
  need(await api.PUT("/api/shop/sms", { body }));

export const trySms = async (recipient: string) =>
  need(await api.POST("/api/shop/sms/test", { body: { recipient } }));

export const stockQuery = queryOptions({
  queryKey: ["packaging", "stock"],
  queryFn: async () => need(await api.GET("/api/packaging/stock")),
});

export const countStock = async (packagingId: number, body: Schemas["StockIn"]) =>
  need(
    await api.PUT("/api/packaging/{packaging_id}/stock", {
      params: { path: { packaging_id: packagingId } },
      body,
    }),
  );

export type Box = Schemas["PackagingIO"];
export const packagingOrdersQuery = queryOptions({
  queryKey: ["packaging", "orders"],
  queryFn: async () => need(await api.GET("/api/packaging/orders")),
});
export const orderPackaging = async (body: Schemas["PackagingOrderIn"]) =>
  need(await api.POST("/api/packaging/orders", { body }));
export const packagingArrived = async (orderId: number) =>
  need(
    await api.POST("/api/packaging/orders/{order_id}/arrived", {
      params: { path: { order_id: orderId } },
    }),
  );
