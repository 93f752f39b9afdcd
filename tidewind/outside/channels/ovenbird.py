"""Ovenbird Bazaar: sales by the second of their last update; the recipient's name is often left out."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tidewind.core.addresses.check import Address, tidy_address
from tidewind.core.order_limits import BILLING_NAME, NUMBER, PROMISE, short_text, storable
from tidewind.outside.channels.market import Market
from tidewind.outside.channels.reading import as_agreed, json_of, read_each
from tidewind.outside.channels.upstream import OrdersPage, UpstreamOrder, line, minor, prose
from tidewind.outside.http import call, client_at


class Ovenbird(Market):
    """See ChannelClient.  The cursor is ``second|offset``.

    Pages go on from the last second seen, not by a growing offset: a sale that is updated while we read moves to
    the end and would shift another one out of sight.  Only sales of one and the same second are paged by offset.
    """

    def __init__(self, base_url: str, secret: str, timeout_s: float) -> None:
        super().__init__(client_at(base_url, timeout=timeout_s), f"Token {secret}")

    @as_agreed("the orders that it lists")
    def orders_after(self, cursor: str) -> OrdersPage:
        """See ChannelClient."""
        since, _, offset = cursor.partition("|")
        query = {"updated_after": since or "0", "offset": offset or "0"}
        body = json_of(call(self._client, "GET", "/api/sales", params=query, headers=self._headers))
        results = body["results"]
        orders = read_each(results, _read, "code")
        if not results:
            return OrdersPage(orders, f"{since}|0", more=False)
        last = repr(max(float(r.get("updated", 0)) for r in results))
        more = int(body["count"]) > int(body["offset"]) + len(results)
        if float(last) <= float(since or 0):
            return OrdersPage(orders, f"{since}|{int(body['offset']) + len(results)}" if more else f"{since}|0", more)
        return OrdersPage(orders, f"{last}|0", more)


def _read(written: Mapping[str, Any]) -> UpstreamOrder:
    buyer = written["buyer"]
    to = buyer["ship"]
    address = Address(
        name=storable(to.get("name")),
        street=f"{storable(to['street'])} {storable(to['house'])}",
        city=storable(to["city"]),
        postcode=storable(to["postal_code"]),
        country=storable(to["country_name"]),
        email=storable(buyer.get("mail")),
    )
    return UpstreamOrder(
        number=short_text(written["code"], NUMBER, "number"),
        stage=storable(written["status"])[:60],
        money=storable(written["payment"]["state"])[:60],
        address=tidy_address(address),
        lines=tuple(line(r["sku"], r["title"], r["qty"], minor(r["price_cents"], "price")) for r in written["rows"]),
        ordered_at=datetime.fromisoformat(written["placed_at"]),
        promise=prose(written["delivery_method"], PROMISE),
        paid_shipping_minor=minor(written["delivery_paid_cents"], "delivery paid"),
        billing_name=prose(buyer["bill"]["name"], BILLING_NAME),
    )
