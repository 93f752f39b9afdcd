"""A carrier's rules for pickups as values: a part of its rate card, dated and edited like its prices."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import time
from typing import Literal

from tidewind.core.quantities import Size

WORKING_WEEK = frozenset(range(5))


@dataclass(frozen=True, slots=True)
class PickupRules:
    """When a network's van can be asked for, when it comes, what it takes, and what it costs; times in the card's zone.

    ``ask_until`` lies on the pickup day, or ``days_before`` working days before it.  ``least_ahead`` and ``most_ahead``
    count working days from the day of asking (0: the same day).  Without ``least_span_min`` the van makes a regular
    round between ``opens`` and ``closes``; with it a window of at least so many minutes is chosen, or an exact hour.
    ``fee`` is for a pickup or for each parcel, in minor units of the card's currency.  Services in ``not_alone`` go
    along only with one that is fetched by itself; ``not_fetched`` never.  The rest are limits, and what comes first.
    """

    ask_until: time
    days_before: int = 0
    least_ahead: int = 0
    most_ahead: int = 5
    weekdays: frozenset[int] = WORKING_WEEK
    postcodes: tuple[str, ...] = ()
    opens: time = time(8, 0)
    closes: time = time(18, 0)
    least_span_min: int = 0
    exact_hour: bool = False
    fee: int = 0
    fee_per: Literal["pickup", "parcel"] = "pickup"
    exact_hour_fee: int = 0
    saturday_fee: int = 0
    most_parcels: int | None = None
    most_gross_g: int | None = None
    parcel_gross_g: int | None = None
    parcel_sides: Size | None = None
    not_alone: tuple[str, ...] = ()
    not_fetched: tuple[str, ...] = ()
    change_until_min: int = 0
    manifest_first: bool = False
    spots: tuple[str, ...] = ()
