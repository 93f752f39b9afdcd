"""A store or marketplace that speaks the open channel protocol (docs/protocols/channel.yaml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import httpx

from tidewind.core.addresses.check import Address, tidy_address
from tidewind.core.order_limits import NAME, NOTE, NUMBER, OFFER, PROMISE, TAX_NUMBER, short_text, storable
from tidewind.outside.addresses import check_address
from tidewind.outside.channels.levels import LevelsPage, read_page, read_unknown, written_levels
from tidewind.outside.channels.reading import as_agreed, json_of, read_counts, read_each
from tidewind.outside.channels.upstream import Counts, News, OrdersPage, UpstreamOrder, day, line, minor, prose
from tidewind.outside.errors import NONSENSE, RefusedOutside
from tidewind.outside.http import call, client_at, json_in

PROTOCOL, MAJOR, MOST_WORDS = "tidewind-channel", "1", 200
_RECIPIENT = ("name", "company", "street", "extra", "city", "region", "postcode", "country", "phone", "email")


@dataclass(frozen=True, slots=True)
class StoreIntroduction:
    """What a channel says of itself: its name, its currency, and its words with what it suggests that they mean."""

    name: str
    currency: str
    states: Mapping[str, str]
    payments: Mapping[str, str]
    can: frozenset[str] = frozenset()


class Store:
    """See ChannelClient."""

    def __init__(self, base_url: str, key: str, timeout_s: float, *, private: bool = False) -> None:
        self._url, self._private, self._key = base_url, private, key
        headers = {"Authorization": f"Bearer {key}"}
        self._client = client_at(base_url, private=private, timeout=timeout_s, headers=headers, follow_redirects=False)

    def close(self) -> None:
        """Close the connections."""
        self._client.close()

    def _call(self, method: str, path: str, **options: Any) -> httpx.Response:
        check_address(self._url, private=self._private)
        return call(self._client, method, path, **options)

    def introduce(self) -> StoreIntroduction:
        """Ask the channel who it is.  Raises NeverSent, MaybeDone or RefusedOutside, also for what is no channel."""
        answer = self._call("GET", "/capabilities")
        try:
            return _introduction(json_in(answer))
        except NONSENSE as error:
            words = f"this is no store that speaks the protocol: {str(error)[:120]}"
            raise RefusedOutside("not_understood", words) from error

    @as_agreed("the orders that it lists")
    def orders_after(self, cursor: str) -> OrdersPage:
        """See ChannelClient."""
        body = json_of(self._call("GET", "/orders", params={"after": cursor} if cursor else {}))
        return OrdersPage(read_each(body["orders"], _read, "number"), str(body["cursor"])[:200], body["more"] is True)

    @as_agreed("its counts")
    def counts(self) -> Counts:
        """See ChannelClient."""
        body = json_of(self._call("GET", "/counts"))
        return read_counts(body["states"], body["payments"])

    def consent_url(self, back: str) -> str:  # noqa: ARG002 - the key is the consent
        """See ChannelClient."""
        return ""

    def exchange(self, code: str, hook: str) -> str:  # noqa: ARG002 - the key was given by hand
        """See ChannelClient: nothing is exchanged, but the channel is told where to send its notices."""
        self._call("PUT", "/hook", json={"url": hook})
        return self._key

    def levels_after(self, cursor: str) -> LevelsPage:
        """See ChannelClient."""
        return read_page(self._call("GET", "/stock", params={"after": cursor} if cursor else {}))

    def tell_levels(self, left: Mapping[str, int]) -> frozenset[str]:
        """See ChannelClient."""
        return read_unknown(self._call("PUT", "/stock", json=written_levels(left)), left)

    def tell(self, number: str, news: News) -> None:
        """See ChannelClient."""
        kind = "withdrawn" if news.kind == "cancelled" else news.kind
        told = {
            "kind": kind,
            "carrier": news.carrier,
            "tracking_numbers": news.tracking_numbers,
            "tracking_url": news.tracking_url,
        }
        self._call("POST", f"/orders/{number}/news", json=told)


def _introduction(told: Mapping[str, Any]) -> StoreIntroduction:
    """Read what a channel says of itself.  Raises ValueError, KeyError or TypeError for what is not the protocol."""
    protocol, who = told["protocol"], told["channel"]
    if protocol["name"] != PROTOCOL or str(protocol["version"]).partition(".")[0] != MAJOR:
        raise ValueError(f"it speaks {protocol['name']} {protocol['version']}, not {PROTOCOL} {MAJOR}")
    states, payments = (
        {short_text(word, NUMBER, "state"): str(meant) for word, meant in list(told[kind].items())[:MOST_WORDS]}
        for kind in ("states", "payments")
    )
    can = frozenset(str(word)[:20] for word in told.get("can", [])[:MOST_WORDS])
    return StoreIntroduction(prose(who["name"], 80), str(who["currency"]), states, payments, can)


def _read(written: Mapping[str, Any]) -> UpstreamOrder:
    to, promise = written["recipient"], written.get("promise") or {}
    at = datetime.fromisoformat(str(written["placed_at"]).replace("Z", "+00:00"))
    if at.tzinfo is None:
        raise ValueError("its time has no offset")
    return UpstreamOrder(
        number=short_text(written["number"], NUMBER, "number"),
        stage=storable(written["state"])[:60],
        money=storable(written["payment"])[:60],
        address=tidy_address(Address(**{part: storable(to.get(part) or "") for part in _RECIPIENT})),
        lines=tuple(
            line(ln["sku"], ln["name"], ln["quantity"], minor(ln["unit_price_minor"], "price"))
            for ln in written["lines"]
        ),
        ordered_at=at,
        home=not written.get("business"),
        promise=prose(promise.get("text") or "", PROMISE),
        promise_date=day(promise.get("date")),
        offer=short_text(promise.get("offer") or "", OFFER, "offer"),
        paid_shipping_minor=minor(written.get("shipping_paid_minor") or 0, "delivery paid"),
        note=prose(written.get("note") or "", NOTE),
        billing_name=prose(written.get("billing_name") or "", NAME),
        recipient_number=short_text(to.get("tax_number") or "", TAX_NUMBER, "recipient's tax number"),
    )
