"""The stages of a parcel's way at the stand-in carriers, when each is reached, and what each carrier calls it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from tidewind.core.calendar import add_working_days


@dataclass(frozen=True)
class Stage:
    """A stage: its code and words, the working day on which it is reached (-1: the last one), and the hour."""

    code: str
    words: str
    day: int
    hour: int


STAGES = (
    Stage("accepted", "Taken over from the sender", 0, 19),
    Stage("moving", "Sorted and on its way", 0, 23),
    Stage("delivering", "With the driver", -1, 8),
    Stage("delivered", "Delivered", -1, 13),
)
MEANS = {
    "announced": "announced",
    "accepted": "accepted",
    "moving": "moving",
    "delivering": "out_for_delivery",
    "delivered": "delivered",
}
CODES = {
    "norvia": {"announced": "N00", "accepted": "N10", "moving": "N20", "delivering": "N40", "delivered": "N50"},
    "brightmile": {"announced": "DATA", "accepted": "PICK", "moving": "LINE", "delivering": "TOUR", "delivered": "POD"},
    "cobaltair": {"announced": "10", "accepted": "20", "moving": "30", "delivering": "60", "delivered": "70"},
    "pontolo": {"announced": "new", "accepted": "in", "moving": "van", "delivering": "ready", "delivered": "taken"},
}
SELDOM = {
    "waiting": "awaiting_collection",
    "refused": "problem:refused",
    "address": "problem:address",
    "customs": "problem:customs",
    "returning": "returning",
    "returned": "returned",
    "lost": "lost",
}
"""What happens to few parcels; every carrier's code for it is the word behind its own letter."""


def code_of(carrier: str, stage: str) -> str:
    """Return a carrier's code for a stage."""
    return CODES[carrier].get(stage) or f"{carrier[0].upper()}-{stage}"


def first_stage(sold: datetime, days: int) -> datetime:
    """Return when the carrier scans a parcel that was sold at a moment for the first time."""
    return stage_time(sold, STAGES[0], days)


def stage_time(bought: datetime, stage: Stage, days: int) -> datetime:
    """Return when a parcel that was sold at a moment, and takes so many working days, reaches a stage."""
    zone = ZoneInfo("Europe/Lisbon")
    start = add_working_days(bought.astimezone(zone).date(), 0, "PT")
    day = start if stage.day == 0 else add_working_days(start, days, "PT")
    at = datetime(day.year, day.month, day.day, stage.hour, tzinfo=zone).astimezone(UTC)
    return max(at, bought + timedelta(minutes=1 + STAGES.index(stage)))
