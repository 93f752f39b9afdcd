"""How long a service usually takes, by the shop's own record: half, nine in ten, and how long nothing is heard."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from tidewind.core.calendar import is_working_day

ENOUGH = 30
"""Below so many parcels the own record says too little (shop policy; worked example 26)."""
_DAY = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Usual:
    """The days of a service to a destination group: parcels, and in tenths of working days the middle and nine in ten.

    ``gap_days`` is the number of working days that nine in ten of its parcels are heard of again within.
    """

    parcels: int
    median: int
    nine_in_ten: int
    gap_days: int


@lru_cache(maxsize=65536)
def _works(day: date, ends: tuple[str, ...]) -> bool:
    return all(is_working_day(day, end) for end in ends)


def working_tenths(start: datetime, end: datetime, zone: ZoneInfo, ends: tuple[str, ...]) -> int:
    """Return the tenths of working days from one instant to another; a day counts where both ``ends`` work."""
    first, last = start.astimezone(zone), end.astimezone(zone)
    if last <= first:
        return 0
    minutes, day = 0, first.date()
    while day <= last.date():
        if _works(day, ends):
            begins = first.hour * 60 + first.minute if day == first.date() else 0
            stops = last.hour * 60 + last.minute if day == last.date() else 24 * 60
            minutes += stops - begins
        day += _DAY
    return (minutes * 10 + 12 * 60) // (24 * 60)


def working_days_since(start: datetime, now: datetime, zone: ZoneInfo, ends: tuple[str, ...]) -> int:
    """Return how many working days of both ends have gone by since the day of an instant, that day not counted."""
    day, last = start.astimezone(zone).date(), now.astimezone(zone).date()
    count = 0
    while day < last:
        day += _DAY
        count += _works(day, ends)
    return count


def usual(took: Sequence[int], gaps: Sequence[int]) -> Usual | None:
    """Return what is usual by how long parcels took (tenths of days) and were not heard of (days); None by too few."""
    if len(took) < ENOUGH:
        return None
    return Usual(len(took), _part(took, 50), _part(took, 90), _part(gaps, 90) if gaps else 1)


def _part(values: Sequence[int], percent: int) -> int:
    """Return the least value that so many per cent are not above (nearest rank, no value is invented)."""
    ordered = sorted(values)
    return ordered[max(-(-len(ordered) * percent // 100), 1) - 1]


Record = Mapping[tuple[str, str], Usual]
"""What is usual by service and destination group."""
