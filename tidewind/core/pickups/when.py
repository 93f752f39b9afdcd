"""For which days a van can still be asked for, until when, and in which window.  All of it on the carrier's clock."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from tidewind.core.calendar import is_working_day
from tidewind.core.pickups.rules import PickupRules
from tidewind.core.quantities import Refused

FARTHEST = timedelta(days=90)
_SECOND = timedelta(microseconds=999_999)
_NAMES = ("Mondays", "Tuesdays", "Wednesdays", "Thursdays", "Fridays", "Saturdays", "Sundays")


@dataclass(frozen=True, slots=True)
class Where:
    """The carrier's zone, the place whose holidays count, the postcode of the door, and days on which nobody is there.

    ``closed`` are stretches of days, first and last.
    """

    zone: str
    place: str
    postcode: str = ""
    closed: tuple[tuple[date, date], ...] = ()


def served(day: date, rules: PickupRules, where: Where) -> Refused | None:
    """Return None where the van comes on a day, else why it does not."""
    if rules.postcodes and not any(where.postcode.startswith(begin) for begin in rules.postcodes):
        return Refused("not_served", f"no van comes to {where.postcode or 'a place without a postcode'}")
    if day.weekday() not in rules.weekdays:
        return Refused("weekday", f"no van comes on {_NAMES[day.weekday()]}")
    if not is_working_day(day, where.place, saturdays=True):
        return Refused("holiday", f"{day:%d.%m.%Y} is a holiday there")
    if any(first <= day <= last for first, last in where.closed):
        return Refused("closed", f"nobody is there on {day:%d.%m.%Y}")
    return None


def ask_until(day: date, rules: PickupRules, where: Where) -> datetime:
    """Return the last moment (aware) at which a pickup on a day is still taken; the second it names is in to its end.

    In the hour that the clock strikes twice the first one counts: who asks then is in time by either reading.
    """
    before = day
    for _ in range(rules.days_before):
        before -= timedelta(days=1)
        while not is_working_day(before, where.place):
            before -= timedelta(days=1)
    return datetime.combine(before, rules.ask_until, ZoneInfo(where.zone)) + _SECOND


def refusal_for(day: date, asked_at: datetime, rules: PickupRules, where: Where) -> Refused | None:
    """Return None where a pickup on a day can be asked for at a moment (aware), else the first reason why not."""
    today = asked_at.astimezone(ZoneInfo(where.zone)).date()
    if day < today:
        return Refused("past", "that day is over")
    if (why := served(day, rules, where)) is not None:
        return why
    if asked_at.astimezone(ZoneInfo("UTC")) > ask_until(day, rules, where).astimezone(ZoneInfo("UTC")):
        on = "the same day" if not rules.days_before else f"{rules.days_before} working days before"
        return Refused("too_late", f"it is asked for until {rules.ask_until:%H:%M} {on}")
    ahead = sum(1 for one in _days(today, day) if one != today and served(one, rules, where) is None)
    if ahead < rules.least_ahead:
        return Refused("too_soon", f"it is asked for at least {rules.least_ahead} working days ahead")
    if ahead > rules.most_ahead:
        return Refused("too_far", f"it is asked for at most {rules.most_ahead} working days ahead")
    return None


def days_offered(asked_at: datetime, rules: PickupRules, where: Where) -> tuple[date, ...]:
    """Return the days for which a pickup can be asked for now, the soonest first; none where no van comes at all."""
    today = asked_at.astimezone(ZoneInfo(where.zone)).date()
    made = []
    for day in _days(today, today + FARTHEST):
        why = refusal_for(day, asked_at, rules, where)
        if why is None:
            made.append(day)
        elif why.reason in ("too_far", "not_served"):
            break
    return tuple(made)


def _days(first: date, last: date) -> Iterator[date]:
    while first <= last:
        yield first
        first += timedelta(days=1)


def window_refusal(start: time, end: time, rules: PickupRules) -> Refused | None:
    """Return None where a window can be asked for, else why not; an exact hour begins and ends at one time."""
    if start == end:
        if not rules.exact_hour:
            return Refused("no_exact_hour", "an exact hour cannot be asked for")
    elif start > end:
        return Refused("backwards", "the window ends before it begins")
    elif rules.least_span_min and _minutes(end) - _minutes(start) < rules.least_span_min:
        return Refused("too_narrow", f"the window is at least {_span(rules.least_span_min)} long")
    if start < rules.opens or end > rules.closes:
        return Refused("out_of_hours", f"the van is out from {rules.opens:%H:%M} to {rules.closes:%H:%M}")
    return None


def change_until(day: date, start: time, rules: PickupRules, where: Where) -> datetime:
    """Return the last moment (aware) at which a pickup can be changed or cancelled, before its window begins."""
    begins = datetime.combine(day, start, ZoneInfo(where.zone)).astimezone(ZoneInfo("UTC"))
    return (begins - timedelta(minutes=rules.change_until_min)).astimezone(ZoneInfo(where.zone))


def _minutes(at: time) -> int:
    return at.hour * 60 + at.minute


def _span(minutes: int) -> str:
    hours, rest = divmod(minutes, 60)
    if rest:
        return f"{minutes} minutes"
    return "an hour" if hours == 1 else f"{hours} hours"
