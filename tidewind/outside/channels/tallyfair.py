"""Tallyfair: orders by the instant of their last change, pages by token."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tidewind.core.addresses.check import Address, tidy_address
from tidewind.core.order_limits import NUMBER, PROMISE, short_text, storable
from tidewind.outside.channels.market import Market
from tidewind.outside.channels.reading import as_agreed, json_of, read_each
from tidewind.outside.channels.upstream import OrdersPage, UpstreamOrder, cents, day, line, prose
from tidewind.outside.http import call, client_at


class Tallyfair(Market):
    """See ChannelClient.  The cursor is ``instant|page token``.

    Pages go on from the last instant seen; a token only parts changes of one and the same instant, since an order
    that changes while we read would shift another one across a token's border.
    """

    def __init__(self, base_url: str, secret: str, timeout_s: float) -> None:
        super().__init__(client_at(base_url, timeout=timeout_s), f"Bearer {secret}")

    @as_agreed("the orders that it lists")
    def orders_after(self, cursor: str) -> OrdersPage:
        """See ChannelClient.  The market's own instants are used throughout, so that no clock of ours matters."""
        since, _, page = cursor.partition("|")
        query = {"since": since, "page_token": page}
        body = json_of(call(self._client, "GET", "/v1/orders", params=query, headers=self._headers))
        newest = max([since, *(str(item.get("changed_at", "")) for item in body["items"])])
        orders = read_each(body["items"], _read, "order_ref")
        following = body["next_page"] if newest == since else None
        return OrdersPage(orders, f"{newest}|{following or ''}", more=bool(body["next_page"]))


def _read(written: Mapping[str, Any]) -> UpstreamOrder:
    to, delivery = written["ship_to"], written["delivery"]
    street, *rest = [storable(one) for one in to["lines"]] or [""]
    address = Address(
        name=storable(to["full_name"]),
        street=street,
        extra=", ".join(rest),
        city=storable(to["town"]),
        postcode=storable(to["zip"]),
        country=storable(to["nation"]),
        phone=storable(to["phone"]),
        email=storable(to["mail"]),
    )
    return UpstreamOrder(
        number=short_text(written["order_ref"], NUMBER, "number"),
        stage=storable(written["stage"])[:60],
        money=storable(written["money"])[:60],
        address=tidy_address(address),
        lines=tuple(line(b["article"], b["label"], b["pieces"], cents(b["unit_price"])) for b in written["basket"]),
        ordered_at=datetime.fromisoformat(written["placed_at"]),
        promise=prose(delivery["label"], PROMISE),
        promise_date=day(delivery.get("promised")),
        paid_shipping_minor=cents(delivery["charged"]),
    )
