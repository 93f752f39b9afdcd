"""Whether all that a channel has came in: once a day its own count is compared with what is known here."""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.db.tables import Aside, Channel, ChannelLog, Order
from tidewind.outside.channels.upstream import ChannelClient
from tidewind.outside.errors import OutsideError

EVERY = timedelta(hours=24)
COUNTED = "count"
"""The kind of the log's lines about it."""


def prove_complete(sessions: sessionmaker[Session], client: ChannelClient, code: str, now: datetime) -> int:
    """Compare a channel's count with what is known here, at most once a day; return how many orders are missing.

    Where some are, everything is read again with the next pull, once; where that did not help, the log says so.
    """
    with sessions() as session:
        channel = session.scalars(select(Channel).where(Channel.code == code)).one()
        last = _last_count(session, channel)
        if last is not None and now - last.at < EVERY:
            return 0
    try:
        theirs = sum(client.counts().states.values())
    except OutsideError:
        return 0  # another day
    with sessions.begin() as session:
        channel = session.scalars(select(Channel).where(Channel.code == code).with_for_update()).one()
        ours = _known(session, channel)
        missing = max(0, theirs - ours)
        words = f"{channel.name} counts {theirs:,} orders, {ours:,} are known here"
        if missing and last is not None and last.counts.get("missing") == missing:
            words += ", though all was read again"
        elif missing:
            words += ": all is read again with the next pull"
            channel.cursor = ""
        counts = {"theirs": theirs, "known": ours, "missing": missing}
        line = ChannelLog(channel_id=channel.id, at=now, kind=COUNTED, counts=counts, entries=[])
        line.failure = words if missing else ""
        session.add(line)
    return missing


def _last_count(session: Session, channel: Channel) -> ChannelLog | None:
    query = select(ChannelLog).where(ChannelLog.channel_id == channel.id, ChannelLog.kind == COUNTED)
    return session.scalar(query.order_by(ChannelLog.id.desc()).limit(1))


def _known(session: Session, channel: Channel) -> int:
    """Return how many orders of a channel came in by pulls, or are kept aside."""
    pulled = Order.imported.has_key("said")
    orders = select(Order.number).where(Order.channel_id == channel.id, Order.part_of.is_(None), pulled)
    aside = select(Aside.number).where(Aside.channel_id == channel.id)
    return session.scalar(select(func.count()).select_from(orders.union(aside).subquery())) or 0
