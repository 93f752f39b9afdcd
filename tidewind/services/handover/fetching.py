"""What a carrier's rules say of fetching what lies at a departure, and the pickup that is suggested for it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time

from tidewind.core.pickups.asked import Window, usual_window
from tidewind.core.pickups.rules import PickupRules
from tidewind.core.pickups.taking import Waiting, pickup_fee, taken_along
from tidewind.core.pickups.when import Where, ask_until, days_offered, refusal_for
from tidewind.services.handover.lying import Lying


@dataclass(frozen=True, slots=True)
class Left:
    """A parcel that a van does not take along, by its order, and why."""

    order_id: int
    order_number: str
    words: str


@dataclass(frozen=True, slots=True)
class Suggested:
    """What a pickup is filled in with: the labels bought and the orders still to buy that the van takes along.

    Grams and millimetres; ``classes`` count parcels by the service's name.
    """

    start: time
    until: time
    parcels: int
    classes: Mapping[str, int]
    gross_g: int
    heaviest_g: int
    longest_mm: int
    spot: str


@dataclass(frozen=True, slots=True)
class Fetching:
    """What the carrier's rules say of fetching what lies there, if anything lies there.

    ``refused`` is why it cannot be asked for; ``next_day`` the first day that still can be.  Fees are in minor units of
    the carrier's card, without tax; ``fee_minor`` is None where nothing would be fetched, and ``parcel_fee_minor`` what
    of it each parcel costs.
    """

    until: datetime | None
    refused: str
    next_day: date | None
    opens: time
    closes: time
    least_span_min: int
    going: int
    fee_minor: int | None
    exact_hour_fee_minor: int | None
    parcel_fee_minor: int
    manifest_first: bool
    spots: tuple[str, ...]
    suggested: Suggested
    left: tuple[Left, ...] = ()


def fetching_of(
    rules: PickupRules,
    cutoff: time,
    lying: Lying,
    to_come: Sequence[Waiting],
    day: date,
    now: datetime,
    where: Where,
    spot: str,
) -> Fetching:
    """Return what the rules say at a moment (aware) of a day's van for what lies there, and for what is to come."""
    bought = [parcel for _, parcel in lying.waiting]
    taken = taken_along(bought, rules)
    refusal = refusal_for(day, now, rules, where)
    until = ask_until(day, rules, where) if refusal is None or refusal.reason == "too_late" else None
    soonest = days_offered(now, rules, where)
    both = taken_along([*bought, *to_come], rules)
    why = refusal.detail if refusal else both.refused.detail if both.refused else ""
    order_of = {id(parcel): order_id for order_id, parcel in lying.waiting}
    fee = pickup_fee(len(both.going), day, exact_hour=False, rules=rules) if both.going else None
    return Fetching(
        until=until,
        refused=why,
        next_day=soonest[0] if soonest else None,
        opens=rules.opens,
        closes=rules.closes,
        least_span_min=rules.least_span_min,
        going=len(both.going),
        fee_minor=fee,
        exact_hour_fee_minor=rules.exact_hour_fee if rules.exact_hour else None,
        parcel_fee_minor=rules.fee if rules.fee_per == "parcel" else 0,
        manifest_first=rules.manifest_first,
        spots=rules.spots,
        suggested=_suggested(both.going, usual_window(cutoff, day, now, rules, where), spot),
        left=tuple(Left(order_of[id(parcel)], parcel.label, words) for parcel, words in taken.left),
    )


def _suggested(going: Sequence[Waiting], window: Window, spot: str) -> Suggested:
    return Suggested(
        window.start,
        window.until,
        len(going),
        dict(sorted(Counter(parcel.service_name for parcel in going).items())),
        sum(parcel.gross_g for parcel in going),
        max((parcel.gross_g for parcel in going), default=0),
        max((parcel.sides.longest for parcel in going if parcel.sides), default=0),
        spot,
    )
