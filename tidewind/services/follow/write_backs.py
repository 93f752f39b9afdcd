"""What channels are told of their orders: what has got through, what has not and why, sent again by hand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.db.tables import Channel, ChannelNotice, Order, Shipment
from tidewind.services.base import Conflict, NotFound, defer

MOST_SHOWN = 200
SAID = {
    "shipped": "shipped",
    "delivered": "delivered",
    "cancelled": "not shipped after all",
    "paid": "paid at the door",
    "refunded": "money sent back",
}


@dataclass(frozen=True, slots=True)
class WriteBack:
    """One thing that a channel is told of an order; ``why`` is what stood in its way the last time."""

    id: int
    order_id: int
    order_number: str
    channel: str
    what: str
    sent_at: datetime
    done_at: datetime | None
    attempts: int
    next_at: datetime
    why: str


def write_backs(session: Session, *, stuck: bool = True) -> Sequence[WriteBack]:
    """Return what channels were told, newest first; only what was tried and did not get through, if ``stuck``."""
    query = (
        select(ChannelNotice, Order.id, Order.number, Channel.name, Shipment.bought_at)
        .join(Shipment, Shipment.id == ChannelNotice.shipment_id)
        .join(Order, Order.id == Shipment.order_id)
        .join(Channel, Channel.id == Order.channel_id)
        .order_by(ChannelNotice.id.desc())
        .limit(MOST_SHOWN)
    )
    if stuck:
        query = query.where(ChannelNotice.done_at.is_(None), ChannelNotice.attempts > 0)
    return [_line(*row) for row in session.execute(query)]


def _line(row: ChannelNotice, order_id: int, number: str, channel: str, bought_at: datetime | None) -> WriteBack:
    what = SAID.get(row.kind.partition(":")[0], row.kind)
    times = (bought_at or row.next_at, row.done_at, row.attempts, row.next_at)
    return WriteBack(row.id, order_id, number, channel, what, *times, row.last_error)


def tell_again(session: Session, notice_id: int, now: datetime) -> None:
    """Tell a channel again at once.  Raises NotFound, Conflict where it knows by now."""
    row = session.get(ChannelNotice, notice_id, with_for_update=True)
    if row is None:
        raise NotFound("unknown_notice", "This is not told any more; the label was voided.")
    if row.done_at is not None:
        raise Conflict("told", "The channel knows it by now.")
    row.next_at = now
    defer(session, "send_followups", lock="send_followups")
