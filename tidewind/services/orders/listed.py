"""Orders as a list shows them: the columns that a row is made of, without a mapper's object for each of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, fields
from datetime import date, datetime
from typing import Any, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.stored import StoredPlan
from tidewind.db.tables import Channel, Order, OrderLine, SnagRow


class ListedLine(NamedTuple):
    """What a row says of one line of its order."""

    sku: str
    name: str
    quantity: int


class ListedSnag(NamedTuple):
    """What a row says of one snag."""

    code: str
    level: str
    words: str
    fix: str
    about: str


class ListedChannel(NamedTuple):
    """The channel that an order came from."""

    name: str


@dataclass(frozen=True, slots=True)
class ListedOrder:
    """An order as far as a row of the work list shows it; its attributes are named as the table's columns are."""

    channel: ListedChannel
    id: int
    number: str
    state: str
    state_why: str
    ordered_at: datetime
    address: Address
    promise: str
    promise_date: date | None
    promise_linked: bool
    plan: StoredPlan
    carrier: str | None
    network: str | None
    service: str | None
    ship_date: date | None
    arrives: date | None
    parcel_count: int
    price_minor: int | None
    paid_shipping_minor: int
    currency: str
    payment: str
    destination: str
    desk: str
    tags: Sequence[str]
    plan_tags: Sequence[str]
    comment: str
    reference: str
    part_of: int | None
    batch_id: int | None
    recipient_key: str
    good_until: datetime | None
    lines: list[ListedLine] = field(default_factory=list)
    snags: list[ListedSnag] = field(default_factory=list)


_COLUMNS = tuple(f.name for f in fields(ListedOrder) if f.name not in {"channel", "lines", "snags"})
SHOWN = tuple(getattr(Order, name) for name in _COLUMNS)
"""What is read of an order; the id of its channel stands behind them."""


def listed(session: Session, rows: Sequence[Sequence[Any]]) -> list[ListedOrder]:
    """Return orders from rows of ``SHOWN`` and the channel's id, in their order, with their lines and snags."""
    channels = {id_: ListedChannel(name) for id_, name in session.execute(select(Channel.id, Channel.name))}
    many = len(_COLUMNS)
    found = [ListedOrder(channels[row[many]], *row[:many]) for row in rows]
    by_id = {order.id: order for order in found}
    lines = select(OrderLine.order_id, OrderLine.sku, OrderLine.name, OrderLine.quantity)
    lines = lines.where(OrderLine.order_id.in_(by_id)).order_by(OrderLine.order_id, OrderLine.position)
    for order_id, sku, name, quantity in session.execute(lines):
        by_id[order_id].lines.append(ListedLine(sku, name, quantity))
    snags = select(SnagRow.order_id, SnagRow.code, SnagRow.level, SnagRow.words, SnagRow.fix, SnagRow.about)
    for order_id, *snag in session.execute(snags.where(SnagRow.order_id.in_(by_id)).order_by(SnagRow.id)):
        by_id[order_id].snags.append(ListedSnag(*snag))
    return found
