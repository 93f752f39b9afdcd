"""Pickups: until when a carrier takes one, and for which day."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from tidewind.core.calendar import first_working_day


@dataclass(frozen=True, slots=True)
class PickupRule:
    """A carrier's deadline for asking, as a time on the pickup day itself, in the carrier's zone."""

    ask_until: time
    zone: str
    country: str


def first_pickup_day(asked_at: datetime, rule: PickupRule) -> date:
    """Return the first working day for which a pickup asked at ``asked_at`` (aware) is still taken.

    A deadline of 00:45 means: asked shortly after midnight, the van still comes that day.
    """
    local = asked_at.astimezone(ZoneInfo(rule.zone))
    day = local.date()
    if local.time().replace(tzinfo=None) > rule.ask_until:
        day += timedelta(days=1)
    return first_working_day(day, rule.country)
