"""When something is tried again, and why a clock that was set back does not put that off."""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlalchemy import ColumnElement
from sqlalchemy.orm import InstrumentedAttribute


def is_due(
    at: InstrumentedAttribute[datetime] | InstrumentedAttribute[datetime | None], now: datetime, longest: timedelta
) -> ColumnElement[bool]:
    """Return the condition that the next try is due.

    It is never set further ahead than ``longest``: where it lies beyond that the clock was set back, and it is due.
    """
    return (at <= now) | (at > now + longest)


def is_time_again(last: datetime | None, minutes: int, now: datetime) -> bool:
    """Tell whether what is done every so many minutes is to be done again.

    Where it was done last at a time that is still to come the clock was set back, and it is.
    """
    return last is None or last > now or last + timedelta(minutes=minutes) <= now
