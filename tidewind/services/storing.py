"""Put new orders into the database and plan them; one that is there already is left alone."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from datetime import date, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.db.tables import Channel, Order, OrderLine
from tidewind.services.planning import plan_orders


@dataclass(frozen=True, slots=True)
class NewLine:
    """One line of a new order."""

    sku: str
    name: str
    quantity: int
    unit_price_minor: int
    weight_g: int | None = None


@dataclass(frozen=True, slots=True)
class NewOrder:
    """An order on its way in, whatever it came from."""

    number: str
    address: Address
    lines: tuple[NewLine, ...]
    ordered_at: datetime
    home: bool = True
    promise: str = ""
    promise_date: date | None = None
    paid_shipping_minor: int = 0
    note: str = ""
    fingerprint: str = ""
    state: str = "open"
    state_why: str = ""
    imported: dict[str, Any] = field(default_factory=dict)


def store_orders(
    session: Session, channel: Channel, incoming: list[NewOrder], now: datetime, import_id: int | None = None
) -> tuple[list[Order], list[NewOrder]]:
    """Store and plan the orders whose numbers the channel does not have yet; return them, and those it had.

    The channel's row is locked, so two imports at once make nothing twice.
    """
    session.execute(select(Channel.id).where(Channel.id == channel.id).with_for_update())
    numbers = [order.number for order in incoming]
    there = set(session.scalars(select(Order.number).where(Order.channel_id == channel.id, Order.number.in_(numbers))))
    made = [_row(channel, new, import_id) for new in incoming if new.number not in there]
    session.add_all(made)
    session.flush()
    plan_orders(session, made, now)
    return made, [new for new in incoming if new.number in there]


def _row(channel: Channel, new: NewOrder, import_id: int | None) -> Order:
    order = Order(
        channel_id=channel.id,
        channel=channel,
        number=new.number,
        state=new.state,
        state_why=new.state_why,
        ordered_at=new.ordered_at,
        imported=new.imported or {"address": asdict(new.address)},
        address=asdict(new.address),
        home=new.home,
        promise=new.promise,
        promise_date=new.promise_date,
        paid_shipping_minor=new.paid_shipping_minor,
        note=new.note,
        fingerprint=new.fingerprint,
        import_id=import_id,
        hand={},
        plan={},
        plan_version=0,
        parcel_count=0,
    )
    order.lines = [
        OrderLine(
            position=n,
            sku=ln.sku,
            name=ln.name,
            quantity=ln.quantity,
            unit_price_minor=ln.unit_price_minor,
            weight_g=ln.weight_g,
        )
        for n, ln in enumerate(new.lines, 1)
    ]
    order.snags = []
    return order
