"""What channels changed since orders were imported and nobody has decided: whom it concerns, before and after buying.

An order is concerned by its own change, by that of the order it is part of, and by those of orders that go along with
it: what leaves is one parcel, whichever of them was changed.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import ColumnElement, Select, or_, select, union
from sqlalchemy.orm import Session, aliased

from tidewind.core.channel_changes import ChangeKind, ChannelChange, worst
from tidewind.db.among import among
from tidewind.db.tables import Difference, Order

_CHANGED = aliased(Order)
WAITING_COLUMNS = (
    Difference.kind,
    Difference.changes,
    Difference.fate,
    Difference.order_id,
    _CHANGED.number,
    Order.id,
    Order.joined_to,
)
"""What ``read_changes`` reads of each row."""


def waiting_changes(concerned: ColumnElement[bool]) -> Select[Any]:
    """Return the question for changes that wait and concern the orders of a condition about ``Order``."""
    belongs = or_(Order.id == Difference.order_id, Order.part_of == Difference.order_id)
    return (
        select(*WAITING_COLUMNS)
        .join(_CHANGED, _CHANGED.id == Difference.order_id)
        .join(Order, belongs)
        .where(Difference.state == "waiting", concerned)
    )


def read_changes(rows: Collection[Sequence[Any]]) -> Mapping[int, ChannelChange]:
    """Return the worst change by the id of each order that it concerns, from rows of ``waiting_changes``."""
    found: dict[int, list[ChannelChange]] = {}
    for kind, changes, fate, changed_id, number, order_id, host in rows:
        fields = tuple(str(change["field"]) for change in changes)
        change = ChannelChange(ChangeKind(kind), fields, str(fate.get("why", "")))
        for concerned in (order_id, *([host] if host else ())):
            whose = "" if concerned == changed_id else number
            found.setdefault(concerned, []).append(replace(change, whose=whose))
    return {order_id: most for order_id, changes in found.items() if (most := worst(changes))}


def concerned_orders() -> Select[Any]:
    """Return the question for the ids of all orders that a change concerns which waits for a decision."""
    changed = select(Difference.order_id).where(Difference.state == "waiting")
    parts = select(Order.id).where(Order.part_of.in_(changed))
    hosts = select(Order.joined_to).where(or_(Order.id.in_(changed), Order.id.in_(parts)), Order.joined_to.is_not(None))
    every = union(changed, parts, hosts).subquery()
    return select(every.c[0])


def changes_upstream(session: Session, ids: Collection[int]) -> dict[int, ChannelChange]:
    """Return the worst change that waits for a decision, by the id of each of these orders that it concerns."""
    if not ids:
        return {}
    rows = session.execute(waiting_changes(or_(among(Order.id, ids), among(Order.joined_to, ids)))).all()
    wanted = set(ids)
    return {order_id: change for order_id, change in read_changes(rows).items() if order_id in wanted}
