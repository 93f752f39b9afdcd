"""Orders of a channel that were not taken in: kept whole with the reason, and fetched when that no longer holds."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import orjson
from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tidewind.core.order_limits import storable
from tidewind.core.written import Written
from tidewind.db.tables import Aside, Channel, Order
from tidewind.outside.channels.upstream import Unreadable, UpstreamOrder

_LONGEST_BODY = 100_000


@dataclass(frozen=True, slots=True)
class LeftOut:
    """One order to be kept aside: why, and the cursor of the page that it came on."""

    order: UpstreamOrder | Unreadable
    why: str
    cursor: str


def keep_aside(session: Session, channel: Channel, left: Sequence[LeftOut], now: datetime) -> None:
    """Keep orders aside; one that is aside already is kept as it came last."""
    for one in left:
        values = {
            "number": one.order.number or _unnamed(one.order),
            "kind": "unreadable" if isinstance(one.order, Unreadable) else "ignored",
            "stage": "" if isinstance(one.order, Unreadable) else one.order.stage,
            "why": storable(one.why)[:300],
            "body": _body(one.order) if isinstance(one.order, Unreadable) else {},
            "cursor": one.cursor,
            "at": now,
        }
        statement = insert(Aside).values(channel_id=channel.id, **values)
        session.execute(statement.on_conflict_do_update(index_elements=["channel_id", "number"], set_=values))


def _unnamed(order: UpstreamOrder | Unreadable) -> str:
    return "without a number " + hashlib.sha256(repr(order).encode("utf-8", "replace")).hexdigest()[:12]


def _body(order: Unreadable) -> Written:
    """Return all that was said, as far as a database can hold it."""
    made = _storable(order.body, 12)
    if len(orjson.dumps(made)) <= _LONGEST_BODY:
        return dict(made)
    return {"cut": orjson.dumps(made).decode()[: _LONGEST_BODY // 2]}


def _storable(value: Any, deep: int) -> Any:
    if deep == 0:
        return "…"
    if isinstance(value, dict):
        return {storable(k)[:200]: _storable(v, deep - 1) for k, v in value.items()}
    if isinstance(value, list):
        return [_storable(v, deep - 1) for v in value]
    if isinstance(value, int) and not isinstance(value, bool) and abs(value) > 2**53:
        return str(value)[:400]
    if isinstance(value, float) and not math.isfinite(value):
        return str(value)
    return storable(value) if isinstance(value, str) else value


def no_longer_aside(session: Session, channel: Channel, numbers: Collection[str]) -> None:
    """Forget what was aside of orders that came in after all."""
    if numbers:
        session.execute(delete(Aside).where(Aside.channel_id == channel.id, Aside.number.in_(numbers)))


def orders_aside(session: Session, channel_id: int, limit: int = 100) -> tuple[int, Sequence[Aside]]:
    """Return how many orders of a channel could not be read, and the newest of them."""
    mine = (Aside.channel_id == channel_id, Aside.kind == "unreadable")
    count = session.scalar(select(func.count(Aside.id)).where(*mine)) or 0
    newest = select(Aside).where(*mine).order_by(Aside.at.desc(), Aside.id.desc()).limit(limit)
    return count, session.scalars(newest).all()


def read_again(session: Session, channel: Channel) -> int:
    """After the mapping was changed: go back to the earliest order left out that would be fetched now.

    Returns how many such orders there are; the next pull brings them.
    """
    left = select(Aside).where(Aside.channel_id == channel.id, Aside.kind == "ignored").order_by(Aside.at, Aside.id)
    wanted = [row for row in session.scalars(left) if channel.states.get(row.stage) != "ignore"]
    if wanted:
        channel.cursor = wanted[0].cursor
    return len(wanted)


def not_mapped(session: Session, channel: Channel) -> dict[str, int]:
    """Return how many orders wait because nobody has said what their state means, by the channel's word for it."""
    stage = Order.imported["said"]["stage"].astext
    waiting = select(stage, func.count(Order.id)).where(
        Order.channel_id == channel.id, Order.state == "held", Order.state_by == "channel"
    )
    counts = session.execute(waiting.group_by(stage)).all()
    return {word: count for word, count in counts if word and word not in channel.states}
