"""Vans that are asked for by themselves on some days of the week; holidays and pauses leave a day out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.db.tables import StandingPickup
from tidewind.services.base import Invalid, NotFound, ServiceError
from tidewind.services.handover.departures import DepartureKey, lock_departure
from tidewind.services.handover.fetching import Fetching
from tidewind.services.handover.lanes import days_shown, lane_of
from tidewind.services.handover.pickups import PickupWish, ask_for_pickups
from tidewind.services.planning import shop_day

AHEAD = timedelta(minutes=30)
"""So long before the last moment a standing pickup is asked for: as late as can be, so that its figures are true."""
BY_ITSELF = "standing pickup"


@dataclass(frozen=True, slots=True)
class StandingWish:
    """On which days of the week (0 is Monday) a network's van is asked for by itself, in a window or the usual one."""

    weekdays: frozenset[int]
    start: time | None = None
    until: time | None = None
    paused: bool = False


def standing_pickups(session: Session) -> Sequence[StandingPickup]:
    """Return the standing pickups."""
    return session.scalars(select(StandingPickup).order_by(StandingPickup.id)).all()


def set_standing(
    session: Session, carrier: str, network: str, wish: StandingWish, who: str, now: datetime
) -> StandingPickup:
    """Let a van be asked for by itself from now on, or change that.  Raises Invalid for no days, NotFound."""
    if not wish.weekdays or not wish.weekdays <= set(range(7)):
        raise Invalid("no_days", "Choose at least one day of the week.")
    if (wish.start is None) != (wish.until is None):
        raise Invalid("half_window", "Give both ends of the window, or none for the usual one.")
    lock_departure(session, DepartureKey(carrier, network, shop_day(session, now)), now)
    mine = (StandingPickup.carrier == carrier) & (StandingPickup.network == network)
    row = session.scalar(select(StandingPickup).where(mine).with_for_update())
    if row is None:
        row = StandingPickup(carrier=carrier, network=network, created_by=who)
        session.add(row)
    row.weekdays, row.start, row.until, row.paused = sorted(wish.weekdays), wish.start, wish.until, wish.paused
    session.flush()
    return row


def end_standing(session: Session, standing_id: int) -> None:
    """Let a van no longer be asked for by itself; what is booked stays booked.  Raises NotFound."""
    row = session.get(StandingPickup, standing_id)
    if row is None:
        raise NotFound("unknown_standing", "There is no such standing pickup.")
    session.delete(row)


def ask_standing(sessions: sessionmaker[Session], clock: Callable[[], datetime]) -> list[int]:
    """Ask for the standing pickups whose last moment is near; return the ids of the pickups that are asked for.

    A day is tried until it is asked for or its last moment is over: a list may be closed yet, a label be bought yet.
    Whatever speaks against it stands with the standing pickup, and a person can ask all the same.
    """
    asked = []
    with sessions() as session:
        ids = session.scalars(select(StandingPickup.id).where(~StandingPickup.paused)).all()
    for standing_id in ids:
        with sessions.begin() as session:
            row = session.get(StandingPickup, standing_id, with_for_update=True)
            if row is not None and not row.paused:
                asked += _ask(session, row, clock())
    return asked


def _ask(session: Session, row: StandingPickup, now: datetime) -> list[int]:
    for day in days_shown(session, now):
        if day.weekday() not in row.weekdays or (row.asked_for is not None and day <= row.asked_for):
            continue
        key = DepartureKey(row.carrier, row.network, day)
        lane = lane_of(session, key, now)
        until = lane.fetching.until if lane and lane.fetching else None
        if lane is None or lane.fetching is None or until is None or not _is_near(until, now):
            continue
        return _asked(session, row, key, lane.fetching, day, now)
    return []


def _is_near(until: datetime, now: datetime) -> bool:
    """Tell whether a last moment, whose second is in to its end, is near and not over."""
    return until.replace(microsecond=0) - AHEAD <= now <= until


def _asked(
    session: Session, row: StandingPickup, key: DepartureKey, fetching: Fetching, day: date, now: datetime
) -> list[int]:
    if fetching.fee_minor is None:
        row.refusal, row.refused_for = "nothing lies there yet", day
        return []
    wish = PickupWish(key, fetching.fee_minor, row.start, row.until)
    try:
        with session.begin_nested():
            done = ask_for_pickups(session, [wish], BY_ITSELF, now)
    except ServiceError as error:
        row.refusal, row.refused_for = str(error)[:300], day
        return []
    if not done.asked:
        row.refusal, row.refused_for = "; ".join(done.dropped.values())[:300], day
        return []
    row.asked_for, row.refusal, row.refused_for = day, "", None
    return [pickup.id for pickup in done.asked]
