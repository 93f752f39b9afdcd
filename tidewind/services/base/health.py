"""Whether the parts of the program answer: the database, the job worker, the stand-ins."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

import httpx
from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from tidewind.services.base.timekeeping import A_JUMP


@dataclass(frozen=True, slots=True)
class PartState:
    """Whether a part works, and in words what is known."""

    ok: bool
    detail: str


def parts_health(sessions: sessionmaker[Session], standins_url: str, moved: timedelta) -> dict[str, PartState]:
    """Ask each part of the program whether it works; the stand-ins only where there are some.

    ``moved`` is by how much the clock was set since the start: that is said, but nothing stands still for it.
    """
    found = {"database": _database(sessions), "worker": _worker(sessions), "clock": _clock(moved)}
    if standins_url:
        found["stand-ins"] = _standins(standins_url)
    return found


def _database(sessions: sessionmaker[Session]) -> PartState:
    try:
        with sessions() as session:
            session.execute(text("select 1"))
    except SQLAlchemyError as error:
        return PartState(False, f"does not answer ({type(error).__name__})")
    return PartState(True, "answers")


def _worker(sessions: sessionmaker[Session]) -> PartState:
    query = text("select count(*) from procrastinate_workers where last_heartbeat > now() - interval '30 seconds'")
    try:
        with sessions() as session:
            alive = session.scalar(query)
    except SQLAlchemyError as error:
        return PartState(False, f"unknown ({type(error).__name__})")
    return PartState(bool(alive), f"{alive} at work" if alive else "no worker has been heard of for 30 s")


def _clock(moved: timedelta) -> PartState:
    if abs(moved) < A_JUMP:
        return PartState(True, "runs evenly")
    return PartState(True, f"was moved {'forward' if moved > timedelta() else 'back'} by {abs(moved)} since the start")


def _standins(url: str) -> PartState:
    try:
        httpx.get(f"{url}/health", timeout=2).raise_for_status()
    except httpx.HTTPError as error:
        return PartState(False, f"do not answer ({type(error).__name__})")
    return PartState(True, "answer")


_MOMENT = text("""
    select (select count(*) from procrastinate_jobs where status = 'todo'),
           (select count(*) from procrastinate_jobs where status = 'doing'),
           (select count(*) from shipment where state = 'buying'),
           coalesce((select extract(epoch from cast(:now as timestamptz) - min(asked_at))
                     from shipment where state = 'buying'), 0),
           (select count(*) from message where sent_at is null and attempts > 0),
           (select count(*) from channel_notice where done_at is null and attempts > 0)
""")


def figures_of_the_moment(session: Session, now: datetime) -> dict[str, tuple[str, int]]:
    """Return what waits and what is under way, by the name and words of each figure."""
    row = session.execute(_MOMENT, {"now": now}).one()
    names = (
        ("tidewind_jobs_waiting", "Jobs that wait for a worker"),
        ("tidewind_jobs_running", "Jobs that a worker has"),
        ("tidewind_purchases_under_way", "Labels being bought"),
        ("tidewind_purchase_oldest_seconds", "How long the oldest of these has been asked for"),
        ("tidewind_messages_undelivered", "Mails that did not go"),
        ("tidewind_notices_undelivered", "Notices to channels that did not stick"),
    )
    return {name: (words, int(value)) for (name, words), value in zip(names, row, strict=True)}
