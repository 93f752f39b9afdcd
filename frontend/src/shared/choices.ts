/** Time zones and currencies by name, as this browser knows them, and what it takes the visitor's to be. */
export const ZONES = Intl.supportedValuesOf("timeZone");

const names = new Intl.DisplayNames("en-GB", { type: "currency" });
export const CURRENCIES = Intl.supportedValuesOf("currency").map((value) => ({
  value,
  title: `${value}, ${names.of(value) ?? value}`,
}));

const MONEY: Record<string, string> = {
  AU: "AUD", BR: "BRL", CA: "CAD", CH: "CHF", CN: "CNY", CZ: "CZK", DK: "DKK", GB: "GBP", HU: "HUF",
  IN: "INR", JP: "JPY", KR: "KRW", MX: "MXN", NO: "NOK", NZ: "NZD", PL: "PLN", RO: "RON", SE: "SEK",
  SG: "SGD", TR: "TRY", US: "USD", ZA: "ZAR",
}; // prettier-ignore

export const ownZone = (): string => Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC";

/** The currency of the browser's region; a guess, to be looked at. */
export function ownCurrency(): string {
  const region = new Intl.Locale(navigator.language).maximize().region ?? "";
  return MONEY[region] ?? "EUR";
}
