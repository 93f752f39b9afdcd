"""Working days, cut-offs and arrival dates.

A day counts as working when it is a weekday and no public holiday at that place (data: the ``holidays`` package).
A place is a country (ISO 3166-1 alpha-2), or a part of one that has holidays of its own (ISO 3166-2).
Times are compared in the carrier's own zone, so a change of the clock moves nothing by an hour.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import holidays

from tidewind.core.frozen import frozen

SATURDAY, SUNDAY = 5, 6


@lru_cache(maxsize=4096)
def _holidays(place: str, year: int) -> frozenset[date]:
    country, _, part = place.partition("-")
    try:
        return frozenset(holidays.country_holidays(country, subdiv=part or None, years=year))
    except NotImplementedError:
        # A country the data set does not know has weekends only; arrival there is an estimate anyway.
        return frozenset()


@lru_cache(maxsize=65536)
def is_working_day(day: date, place: str, saturdays: bool = False) -> bool:
    """Tell whether carriers work on ``day`` at a place; Saturdays only where asked."""
    if day.weekday() == SUNDAY or (day.weekday() == SATURDAY and not saturdays):
        return False
    return day not in _holidays(place, day.year)


def is_holiday(day: date, place: str) -> bool:
    """Tell whether a day is a public holiday at a place."""
    return day in _holidays(place, day.year)


def first_working_day(day: date, place: str, saturdays: bool = False) -> date:
    """Return ``day`` itself if it is a working day at a place, else the next one that is."""
    while not is_working_day(day, place, saturdays):
        day += timedelta(days=1)
    return day


@lru_cache(maxsize=65536)
def add_working_days(day: date, count: int, place: str, saturdays: bool = False) -> date:
    """Return the ``count``-th working day at a place after ``day``; with 0 the first not before ``day``."""
    if count == 0:
        return first_working_day(day, place, saturdays)
    for _ in range(count):
        day = first_working_day(day + timedelta(days=1), place, saturdays)
    return day


Closed = tuple[tuple[date, date], ...]
"""Stretches of days, first and last, on which nobody of the shop is there."""


@frozen
class Timetable:
    """When a carrier's truck can take a parcel: the cut-off in the carrier's zone, and the place it leaves from.

    ``closed`` are stretches of days, first and last, on which nobody of ours hands anything over; ``sooner`` are days
    on which it leaves before the cut-off: its van was asked for an earlier hour, or its counter closes.
    """

    cutoff: time
    zone: str
    place: str
    closed: Closed = ()
    sooner: tuple[tuple[date, time], ...] = ()

    def cutoff_on(self, day: date) -> time:
        """Return until when a parcel goes along on a day."""
        return next((at for on, at in self.sooner if on == day), self.cutoff)


@dataclass(frozen=True, slots=True)
class Transit:
    """How long a service takes to a zone: working days from and to, and whether Saturdays count at the far end."""

    days_min: int
    days_max: int
    saturdays: bool = False


@frozen
class Arrival:
    """Ship date, earliest and latest day at the door, and why the parcel waits, if it does."""

    ship_date: date
    earliest: date
    latest: date
    waits_because: str | None = None


def first_leaving_day(day: date, timetable: Timetable) -> date:
    """Return ``day`` itself, or the next day after it, on which the truck comes and somebody is there."""
    return working_day_after(day, 0, timetable.place, timetable.closed)


def working_day_after(day: date, count: int, place: str, closed: Closed = ()) -> date:
    """Return the ``count``-th day after ``day`` on which somebody works at a place; with 0 the first not before it."""
    for _ in range(max(count, 1)):
        day = first_working_day(day + timedelta(days=1) if count else day, place)
        while any(first <= day <= last for first, last in closed):
            day = first_working_day(day + timedelta(days=1), place)
    return day


@lru_cache(maxsize=256)
def ship_date_for(ready_at: datetime, timetable: Timetable) -> date:
    """Return the day on which a parcel ready at ``ready_at`` (aware) leaves.

    At the very second of the cut-off it is still in; a second later it goes on the next working day.
    """
    local = ready_at.astimezone(ZoneInfo(timetable.zone))
    day = local.date()
    if local.time().replace(tzinfo=None, microsecond=0) > timetable.cutoff_on(day):
        day += timedelta(days=1)
    return first_leaving_day(day, timetable)


@lru_cache(maxsize=1024)
def good_until(ship_date: date, timetable: Timetable) -> datetime:
    """Return the last moment (aware) at which a parcel leaving on ``ship_date`` can still do so: its cut-off."""
    last = datetime.combine(ship_date, timetable.cutoff_on(ship_date), ZoneInfo(timetable.zone))
    return last + timedelta(microseconds=999_999)  # the second of the cut-off is in to its end


def weekend_between(start: date, end: date) -> bool:
    """Tell whether a Saturday or Sunday lies after ``start`` and before ``end``."""
    day = start + timedelta(days=1)
    while day < end:
        if day.weekday() >= SATURDAY:
            return True
        day += timedelta(days=1)
    return False


def arrival(
    ship_date: date, timetable: Timetable, transit: Transit, to_place: str, *, no_weekend: bool = False
) -> Arrival:
    """Return when a parcel leaving on ``ship_date`` arrives at ``to_place``.

    The ship date is moved to a working day at the origin; transit days are working days at the destination.
    With ``no_weekend`` the parcel waits for a day from which it is never on the way over a Saturday or Sunday.
    """
    start = first_leaving_day(ship_date, timetable)
    day = start
    for _ in range(14):
        latest = add_working_days(day, transit.days_max, to_place, transit.saturdays)
        if not (no_weekend and weekend_between(day, latest)):
            earliest = add_working_days(day, transit.days_min, to_place, transit.saturdays)
            why = None if day == start else "goods that must not spend a weekend on the way"
            return Arrival(day, earliest, latest, why)
        day = first_leaving_day(day + timedelta(days=1), timetable)
    earliest = add_working_days(start, transit.days_min, to_place, transit.saturdays)
    latest = add_working_days(start, transit.days_max, to_place, transit.saturdays)
    return Arrival(start, earliest, latest, None)
