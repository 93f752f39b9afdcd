"""The own web shop: a list of changes with a running number, no consent needed."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tidewind.core.addresses.check import Address, tidy_address
from tidewind.core.order_limits import NOTE, NUMBER, OFFER, PROMISE, short_text, storable
from tidewind.outside.channels.levels import LevelsPage, read_page, read_unknown, written_levels
from tidewind.outside.channels.reading import as_agreed, json_of, read_counts, read_each
from tidewind.outside.channels.upstream import Counts, News, OrdersPage, UpstreamOrder, day, line, minor, prose
from tidewind.outside.http import call, client_at


class Larkspur:
    """See ChannelClient."""

    def __init__(self, base_url: str, _secret: str, timeout_s: float) -> None:
        self._client = client_at(base_url, timeout=timeout_s)

    def close(self) -> None:
        """Close the connections."""
        self._client.close()

    @as_agreed("the orders that it lists")
    def orders_after(self, cursor: str) -> OrdersPage:
        """See ChannelClient."""
        body = json_of(call(self._client, "GET", "/orders", params={"after": cursor or "0"}))
        return OrdersPage(read_each(body["orders"], _read, "number"), str(body["next"]), bool(body["more"]))

    @as_agreed("its counts")
    def counts(self) -> Counts:
        """See ChannelClient."""
        body = json_of(call(self._client, "GET", "/states"))
        return read_counts(body["status"], body["payment"])

    def consent_url(self, back: str) -> str:  # noqa: ARG002 - this shop asks for no consent
        """See ChannelClient."""
        return ""

    def exchange(self, code: str, hook: str) -> str:  # noqa: ARG002 - nothing to exchange
        """See ChannelClient."""
        return ""

    def levels_after(self, cursor: str) -> LevelsPage:  # noqa: ARG002 - this shop hands all of them out at once
        """See ChannelClient."""
        return read_page(call(self._client, "GET", "/stock"))

    def tell_levels(self, left: Mapping[str, int]) -> frozenset[str]:
        """See ChannelClient."""
        return read_unknown(call(self._client, "PUT", "/stock", json=written_levels(left)), left)

    def tell(self, number: str, news: News) -> None:
        """See ChannelClient; this shop wants to hear of shipments, and of those that do not go after all."""
        if news.kind == "cancelled":
            call(self._client, "POST", f"/orders/{number}/withdrawn", json={"tracking_numbers": news.tracking_numbers})
        if news.kind != "shipped":
            return
        told = {"carrier": news.carrier, "tracking_numbers": news.tracking_numbers, "tracking_url": news.tracking_url}
        call(self._client, "POST", f"/orders/{number}/shipped", json=told)


def _read(written: Mapping[str, Any]) -> UpstreamOrder:
    to, delivery = written["shipping"], written["delivery"]
    address = Address(
        name=storable(to["name"]),
        street=storable(to["line1"]),
        city=storable(to["city"]),
        region=storable(to["region"]),
        postcode=storable(to["postcode"]),
        country=storable(to["country"]),
        phone=storable(to["phone"]),
        email=storable(to["email"]),
    )
    return UpstreamOrder(
        number=short_text(written["number"], NUMBER, "number"),
        stage=storable(written["status"])[:60],
        money=storable(written["payment"])[:60],
        address=tidy_address(address),
        lines=tuple(
            line(ln["sku"], ln["title"], ln["quantity"], minor(ln["price_cents"], "price")) for ln in written["lines"]
        ),
        ordered_at=datetime.fromisoformat(written["placed_at"]),
        home=not to["business"],
        promise=prose(delivery["title"], PROMISE),
        promise_date=day(delivery.get("promised")),
        offer=short_text(delivery.get("offer") or "", OFFER, "offer"),
        paid_shipping_minor=minor(delivery["paid_cents"], "delivery paid"),
        note=prose(written["note"], NOTE),
    )
