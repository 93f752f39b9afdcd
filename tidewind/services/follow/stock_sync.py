"""Levels of stock both ways: read from the channel that counts, told to those that sell from our shelf."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, sessionmaker

from tidewind.db.tables import Channel, ChannelLevel, ChannelLog
from tidewind.outside.errors import OutsideError
from tidewind.services.base import Outside, is_time_again, side_by_side
from tidewind.services.shop import keep_levels, stock_levels

AT_ONCE, MOST_PAGES, MOST_NAMED = 500, 400, 20
REFUSED_FOR_MIN = 24 * 60
"""An article that a channel does not have is told to it again after a day: somebody may have added it there."""
TOLD, READ = "stock told", "stock read"


@dataclass(frozen=True, slots=True)
class StockSeen:
    """What is known between us and a channel: how many articles, since when, and which of them it does not have."""

    articles: int
    at: datetime | None
    unknown: tuple[str, ...]


def exchange_stock(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> int:
    """Read and tell the levels of every channel that wants it; return how many articles were told or read.

    A channel that does not answer keeps none of the others waiting; its log says so once, and it is tried again.
    """
    with sessions() as session:
        wanted = select(Channel).where(Channel.stock != "", Channel.state == "connected").order_by(Channel.id)
        channels = {row.id: row for row in session.scalars(wanted)}
    due = {n: n for n in channels}
    found = side_by_side("exchange stock", due, lambda n: _exchange(sessions, outside, channels[n], clock()))
    return sum(found.values())


def stock_seen(session: Session, channel_id: int) -> StockSeen:
    """Return what a channel has been told, or has told us."""
    mine = ChannelLevel.channel_id == channel_id
    articles, at = session.execute(select(func.count(), func.max(ChannelLevel.at)).where(mine)).one()
    unknown = select(ChannelLevel.sku).where(mine, ChannelLevel.refused).order_by(ChannelLevel.sku)
    return StockSeen(articles, at, tuple(session.scalars(unknown.limit(MOST_NAMED))))


def _exchange(sessions: sessionmaker[Session], outside: Outside, row: Channel, now: datetime) -> int:
    try:
        count = _read(sessions, outside, row, now) if row.stock == "theirs" else _tell(sessions, outside, row, now)
    except OutsideError as error:
        _note(sessions, row, now, f"{error}; it is tried again in a minute")
        return 0
    return count


def _read(sessions: sessionmaker[Session], outside: Outside, row: Channel, now: datetime) -> int:
    """Read all levels, as often as orders are pulled; they are kept all together, since half of them is no reading."""
    with sessions() as session:
        last = session.scalar(select(func.max(ChannelLevel.at)).where(ChannelLevel.channel_id == row.id))
    if not is_time_again(last, row.every_minutes, now):
        return 0
    client, cursor, left = outside.channel(row), "", dict[str, int]()
    for _ in range(MOST_PAGES):
        page = client.levels_after(cursor)
        left |= page.left
        if not page.more or page.cursor == cursor:
            break
        cursor = page.cursor
    with sessions.begin() as session:
        there = keep_levels(session, left, now)
        _keep(session, row.id, left, left.keys() - there, now)
    return len(there)


def _tell(sessions: sessionmaker[Session], outside: Outside, row: Channel, now: datetime) -> int:
    """Tell what is others than it was told; nothing is written before the channel has it, so it is told again."""
    with sessions() as session:
        levels = {sku: max(left, 0) for sku, left in stock_levels(session).items()}
        known = {
            level.sku: level for level in session.scalars(select(ChannelLevel).where(ChannelLevel.channel_id == row.id))
        }
    news = {sku: left for sku, left in levels.items() if _is_news(known.get(sku), left, now)}
    client, count = outside.channel(row), 0
    for start in range(0, len(news), AT_ONCE):
        some = dict(list(news.items())[start : start + AT_ONCE])
        unknown = client.tell_levels(some)
        with sessions.begin() as session:
            _keep(session, row.id, some, unknown, now)
        count += len(some) - len(unknown)
    return count


def _is_news(level: ChannelLevel | None, left: int, now: datetime) -> bool:
    if level is None:
        return True
    return is_time_again(level.at, REFUSED_FOR_MIN, now) if level.refused else level.pieces != left


def _keep(session: Session, channel_id: int, left: Mapping[str, int], unknown: Collection[str], now: datetime) -> None:
    rows = [
        {"channel_id": channel_id, "sku": sku, "pieces": pieces, "at": now, "refused": sku in unknown}
        for sku, pieces in sorted(left.items())
    ]
    if rows:
        write = insert(ChannelLevel)
        changed = {name: write.excluded[name] for name in ("pieces", "at", "refused")}
        session.execute(write.on_conflict_do_update(index_elements=["channel_id", "sku"], set_=changed), rows)


def _note(sessions: sessionmaker[Session], row: Channel, now: datetime, failure: str) -> None:
    """Keep a failure in the channel's log; the same one again is one line."""
    kind = READ if row.stock == "theirs" else TOLD
    with sessions.begin() as session:
        newest = session.scalar(
            select(ChannelLog)
            .where(ChannelLog.channel_id == row.id, ChannelLog.kind == kind)
            .order_by(ChannelLog.id.desc())
        )
        if newest is not None and newest.failure == failure[:300]:
            newest.at = now
            return
        session.add(ChannelLog(channel_id=row.id, at=now, kind=kind, counts={}, entries=[], failure=failure[:300]))
