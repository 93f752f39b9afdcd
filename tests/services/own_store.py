"""A store that says what a test wants, and an own channel that is read from it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tidewind.core.addresses.check import Address
from tidewind.db.tables import Channel, Order
from tidewind.outside.channels.upstream import Counts, OrdersPage, Unreadable, UpstreamLine, UpstreamOrder
from tidewind.services import orders as orders_room
from tidewind.services.base import Outside
from tidewind.web.access import Wiring

TO = Address("Ana Prado", "", "Rua do Sol 4", "", "Coimbra", "", "3000-310", "PT", "+351 000 555 001", "ana@x.example")
STATES = {"open": "fetch", "wait": "hold", "gone": "leave_out", "no": "cancelled", "sent": "ignore"}


@dataclass
class Store:
    """A store that says what the test wants: its orders by number, in the order of their last change."""

    orders: dict[str, UpstreamOrder | Unreadable] = field(default_factory=dict)
    page: int = 50
    hidden: int = 0
    between: Callable[[], None] | None = None

    def say(self, number: str, **changes: object) -> None:
        known = self.orders.pop(number)
        self.orders[number] = replace(cast(UpstreamOrder, known), **changes)  # type: ignore[arg-type]

    def orders_after(self, cursor: str) -> OrdersPage:
        at = int(cursor or 0)
        found = list(self.orders.values())
        if at and self.between:
            self.between()
        after = at + self.page
        return OrdersPage(tuple(found[at:after]), str(after) if after < len(found) else "0", after < len(found))

    def counts(self) -> Counts:
        return Counts({"all": len(self.orders) + self.hidden}, {})

    def channel(self, _row: Channel) -> Store:
        return self


def an_order(number: str, sku: str = "TW-1", **more: object) -> UpstreamOrder:
    lines = (UpstreamLine(sku, "Twine", 3, 450), UpstreamLine("HF-02", "Hand fork", 1, 1250))
    base = UpstreamOrder(number, "open", "paid", TO, lines, ordered_at=an_order.at)  # type: ignore[attr-defined]
    return replace(base, **more)  # type: ignore[arg-type]


def open_store(wiring: Wiring, clock: Clock) -> Store:
    """Return a store of three orders, all read."""
    an_order.at = clock()  # type: ignore[attr-defined]
    with wiring.sessions.begin() as session:
        row = Channel(code="own", name="Own", kind="webshop", last_pull={}, states=STATES)
        row.payments = {"paid": "paid", "cod": "pay_on_delivery", "not": "unpaid"}
        session.add(row)
    made = Store()
    made.orders = {number: an_order(number) for number in ("A-0", "A-1", "A-2")}
    pull(wiring, made)
    return made


def pull(wiring: Wiring, store: Store) -> dict[str, int]:
    outside = cast(Outside, store)
    return orders_room.pull(wiring.sessions, outside, "own", wiring.clock(), lambda _s: None)


def one(session: Session, number: str) -> Order:
    return session.scalars(select(Order).where(Order.number == number)).one()
