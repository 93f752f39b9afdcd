"""An order as a channel has it, brought to one form; and what every channel's client can do."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from datetime import date, datetime
from decimal import Decimal
from typing import Any, Protocol

from tidewind.core.addresses.check import Address, tidy
from tidewind.core.order_limits import NAME, SKU, amount, pieces, short_text, storable, whole
from tidewind.outside.channels.levels import LevelsPage


@dataclass(frozen=True, slots=True)
class UpstreamLine:
    """One line of an order."""

    sku: str
    name: str
    quantity: int
    unit_price_minor: int


@dataclass(frozen=True, slots=True)
class UpstreamOrder:
    """An order as the channel has it now; ``stage`` and ``money`` are in the channel's own words."""

    number: str
    stage: str
    money: str
    address: Address
    lines: tuple[UpstreamLine, ...]
    ordered_at: datetime
    home: bool = True
    promise: str = ""
    promise_date: date | None = None
    offer: str = ""
    paid_shipping_minor: int = 0
    note: str = ""
    billing_name: str = ""
    recipient_number: str = ""
    currency: str = ""

    def snapshot(self) -> dict[str, Any]:
        """Return everything the channel said as plain JSON, to compare with what it says later."""
        said = asdict(self)
        said["lines"] = list(said["lines"])  # as it comes back out of JSON
        said["ordered_at"] = self.ordered_at.isoformat()
        for later in ("offer", "recipient_number", "currency"):  # as it was written before these were told
            if not said[later]:
                del said[later]
        said["promise_date"] = self.promise_date.isoformat() if self.promise_date else None
        return said


@dataclass(frozen=True, slots=True)
class Unreadable:
    """An order that cannot be understood: its number where that much is clear, why, and all that was said."""

    number: str
    why: str
    body: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class OrdersPage:
    """One page of a channel's orders, and where to go on from."""

    orders: tuple[UpstreamOrder | Unreadable, ...]
    cursor: str
    more: bool


@dataclass(frozen=True, slots=True)
class Counts:
    """How many orders a channel has in each of its states, and in each state of payment."""

    states: Mapping[str, int]
    payments: Mapping[str, int]


NEWS = ("shipped", "delivered", "cancelled", "paid", "refunded")
"""``paid``: at the door; ``refunded``: the buyer has money back.  Each is told only where the shop wants it."""


@dataclass(frozen=True, slots=True)
class News:
    """What a channel is told about an order: one of ``NEWS``."""

    kind: str
    carrier: str = ""
    tracking_numbers: list[str] = field(default_factory=list)
    tracking_url: str = ""


class ChannelClient(Protocol):
    """A sales channel; every method raises OutsideError where it does not answer properly."""

    def orders_after(self, cursor: str) -> OrdersPage:
        """Return the page after a cursor; an order that changed comes again."""

    def counts(self) -> Counts:
        """Return the orders per upstream state."""

    def consent_url(self, back: str) -> str:
        """Return the address where the seller allows us in; empty where none is needed."""

    def exchange(self, code: str, hook: str) -> str:
        """Return the secret for a code from the consent step."""

    def tell(self, number: str, news: News) -> None:
        """Tell the channel about an order; telling twice is harmless."""

    def levels_after(self, cursor: str) -> LevelsPage:
        """Return the page of levels of stock after a cursor; empty is the beginning."""

    def tell_levels(self, left: Mapping[str, int]) -> frozenset[str]:
        """Tell how many pieces are left to sell, by SKU; return the articles that the channel does not have."""

    def close(self) -> None:
        """Close the connections."""


def cents(text: Any) -> int:
    """Return minor units of an amount written like ``12.90``.  Raises ValueError."""
    value = Decimal(str(text)) * 100
    if not value.is_finite() or value != value.to_integral_value():
        raise ValueError(f"{text} is no amount")
    return amount(int(value), "amount")


def minor(value: Any, what: str = "amount") -> int:
    """Return an amount that is written in minor units already.  Raises ValueError."""
    return amount(whole(value, what), what)


def prose(value: Any, most: int) -> str:
    """Return what is read and not looked up, tidied and cut to what can be kept.  Raises ValueError for no text."""
    return tidy(storable(value))[:most]


def line(sku: Any, name: Any, quantity: Any, unit_price_minor: int) -> UpstreamLine:
    """Return one line within the limits of an order.  Raises ValueError, naming the limit, for one beyond them."""
    return UpstreamLine(short_text(sku, SKU, "SKU"), prose(name, NAME), pieces(quantity), unit_price_minor)


def day(text: Any) -> date | None:
    """Return a date out of an ISO text, None for nothing."""
    return date.fromisoformat(str(text)) if text else None
