"""Orders that belong together: those that go along with another, and the parts that were made of one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.states.orders import OrderMove, OrderState
from tidewind.db.tables import Order, OrderLine, Shipment
from tidewind.services.base import move_order, orders_with_label, write_history
from tidewind.services.orders.taking_in import recipient_key, search_text


def family_of(session: Session, order: Order) -> Sequence[Order]:
    """Return an order with the parts made of it, and those that any of them goes along with, by id."""
    mine = select(Order.id, Order.joined_to).where(or_(Order.id == order.id, Order.part_of == order.id))
    ids = {i for row in session.execute(mine) for i in row if i is not None}
    return session.scalars(select(Order).where(Order.id.in_(ids)).order_by(Order.id)).all()


def set_address(order: Order, address: Address) -> None:
    """Say where an order goes, and let it be found by that."""
    order.address, order.recipient_key = address, recipient_key(address)
    order.search = search_text(order.number, address, [f"{ln.name} {ln.sku}" for ln in order.lines], order.reference)


def together_again(session: Session, order: Order) -> set[int]:
    """Let an order go by itself, and all that went along with it; return the ids of the others."""
    touched: set[int] = set()
    if order.joined_to:
        host = session.get_one(Order, order.joined_to)
        host.hand = replace(host.hand, parcels=())
        touched.add(host.id)
        _part(order)
    for guest in session.scalars(select(Order).where(Order.joined_to == order.id).order_by(Order.id)).all():
        _part(guest)
        touched.add(guest.id)
        order.hand = replace(order.hand, parcels=())
    session.flush()
    return touched


def _part(guest: Order) -> None:
    if guest.state == OrderState.HELD:
        move_order(guest, OrderMove.PART)
    guest.joined_to = None


def put_back(session: Session, order: Order, who: str, now: datetime) -> set[int]:
    """Put the goods of parts that are not bought back into the order that they were taken from.

    Returns the ids of other orders whose goods are others now.
    """
    parts = session.scalars(select(Order).where(Order.part_of == order.id).order_by(Order.id)).all()
    bought = orders_with_label(session, [i for part in parts for i in (part.id, part.joined_to) if i])
    touched: set[int] = set()
    for part in parts:
        if {part.id, part.joined_to} & bought or part.state in {OrderState.SHIPPED, OrderState.CANCELLED}:
            continue
        for line in part.lines:
            _give_back(order.lines, line.sku, line.quantity - line.sent)
        write_history(session, order, who, f"put {part.number} back into it", now)
        touched |= remove_part(session, part, order)
    order.hand = replace(order.hand, parcels=())
    session.flush()
    return touched


def remove_part(session: Session, part: Order, whole: Order) -> set[int]:
    """End a part whose goods went back: without a trace where nothing was ever asked for it, else as cancelled.

    Returns the ids of orders that went along with it, or it with them.
    """
    touched = together_again(session, part)
    if session.scalar(select(Shipment.id).where(Shipment.order_id == part.id).limit(1)):
        move_order(part, OrderMove.CHANNEL_CANCELS, f"put back into {whole.number}")
        part.snags, part.snag_level = [], ""
    else:
        session.delete(part)
    session.flush()
    return touched - {whole.id}


def _give_back(lines: Sequence[OrderLine], sku: str, count: int) -> None:
    for line in reversed(lines):
        back = min(line.sent, count) if line.sku == sku else 0
        line.sent, count = line.sent - back, count - back
