"""What we need from a sales channel: its orders page by page, and a way to tell it of shipments."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

import httpx

from tidewind.outside.http import call


@dataclass(frozen=True, slots=True)
class OrdersPage:
    """One page of a channel's orders as it writes them, and where the next one starts."""

    orders: list[dict[str, Any]]
    cursor: str
    more: bool


class ChannelClient(Protocol):
    """A sales channel."""

    def orders_after(self, cursor: str) -> OrdersPage:
        """Return the page after a cursor.  Raises OutsideError."""

    def tell_shipped(self, number: str, carrier: str, tracking_numbers: list[str], url: str) -> None:
        """Tell the channel that an order was shipped; telling twice is harmless.  Raises OutsideError."""


class WebShop:
    """The web shop, reached by JSON over HTTP."""

    def __init__(self, base_url: str, timeout_s: float = 8.0) -> None:
        self._client = httpx.Client(base_url=base_url, timeout=timeout_s)

    def close(self) -> None:
        """Close the connections."""
        self._client.close()

    def orders_after(self, cursor: str) -> OrdersPage:
        """See ChannelClient."""
        body = call(self._client, "GET", "/orders", params={"after": cursor or "0"}).json()
        return OrdersPage(body["orders"], str(body["next"]), bool(body["more"]))

    def tell_shipped(self, number: str, carrier: str, tracking_numbers: list[str], url: str) -> None:
        """See ChannelClient."""
        news = {"carrier": carrier, "tracking_numbers": tracking_numbers, "tracking_url": url}
        call(self._client, "POST", f"/orders/{number}/shipped", json=news)
