"""What needs somebody on the way, the worst first, and what can be done about each."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from typing import Literal
from zoneinfo import ZoneInfo

from tidewind.core.tracking.folding import Standing
from tidewind.core.tracking.states import FINAL, TrackingState
from tidewind.core.tracking.usual import Usual, working_days_since

Kind = Literal["lost", "refused", "address", "damaged", "stuck", "waiting", "returning", "customs", "problem", "late"]
Deed = Literal["ask_carrier", "tell_buyer", "claim", "send_again"]
ORDER: tuple[Kind, ...] = (
    "lost",
    "refused",
    "address",
    "damaged",
    "stuck",
    "waiting",
    "returning",
    "customs",
    "problem",
    "late",
)
DEEDS: dict[Kind, tuple[Deed, ...]] = {
    "lost": ("claim", "tell_buyer"),
    "refused": ("tell_buyer", "ask_carrier"),
    "address": ("tell_buyer", "ask_carrier"),
    "damaged": ("claim", "tell_buyer"),
    "stuck": ("ask_carrier", "tell_buyer"),
    "waiting": ("tell_buyer",),
    "returning": ("tell_buyer", "ask_carrier"),
    "customs": ("ask_carrier", "tell_buyer"),
    "problem": ("ask_carrier", "tell_buyer"),
    "late": ("tell_buyer", "ask_carrier"),
}
"""What is done about each, the usual one first (shop policy)."""
WAITS_AT_LEAST = 3
"""A parcel that waits to be collected is spoken of from so many working days on (shop policy)."""
GOES_BACK_AFTER = 7
"""So many days a shop or a post office keeps a parcel where its carrier says nothing else (shop policy)."""


@dataclass(frozen=True, slots=True)
class Trouble:
    """Something that needs somebody: its kind, in words, and for how many working days."""

    kind: Kind
    words: str
    days: int = 0


def trouble_of(
    standing: Standing,
    arrives: date | None,
    record: Usual | None,
    transit_days: int,
    now: datetime,
    zone: ZoneInfo,
    ends: tuple[str, ...],
) -> Trouble | None:
    """Return what is wrong with a parcel that stands so, None where nothing is.

    ``arrives`` is the latest day that was told; ``transit_days`` are the card's, for want of a ``record``; ``ends``
    are the places whose working days count.
    """
    state = standing.state
    if state is TrackingState.LOST:
        return Trouble("lost", "lost, said by the carrier")
    if state in FINAL or standing.last is None:
        return None
    quiet = working_days_since(standing.last.at, now, zone, ends)
    if state is TrackingState.PROBLEM:
        return _problem(standing, quiet)
    if state is TrackingState.RETURNING:
        return Trouble("returning", "on its way back to us", quiet)
    if state is TrackingState.AWAITING_COLLECTION:
        days = working_days_since(standing.since or standing.last.at, now, zone, ends)
        if days >= WAITS_AT_LEAST:
            return Trouble("waiting", f"waits to be collected for the {_nth(days)} day", days)
        return None
    # Worked example 26: as long as nine in ten are heard of again, and one more; by the card counted from acceptance.
    if quiet >= (record.gap_days if record else transit_days) + 1:
        return Trouble("stuck", f"nothing heard for {quiet} working days", quiet)
    today = now.astimezone(zone).date()
    if arrives is not None and today > arrives:
        days = (today - arrives).days
        return Trouble("late", f"{days} {'day' if days == 1 else 'days'} after the day that was promised", days)
    return None


def _problem(standing: Standing, quiet: int) -> Trouble:
    said = standing.last.words if standing.last else ""
    match standing.reason:
        case "refused":
            return Trouble("refused", f"refused: {said}" if said else "refused", quiet)
        case "address":
            return Trouble("address", f"the address: {said}" if said else "the address is not found", quiet)
        case "customs":
            return Trouble("customs", f"at customs: {said}" if said else "held by customs", quiet)
        case "damaged":
            return Trouble("damaged", f"damaged: {said}" if said else "damaged", quiet)
        case _:
            return Trouble("problem", said or "the carrier speaks of a problem", quiet)


def _nth(n: int) -> str:
    ending = "th" if 10 <= n % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(n % 10, "th")
    return f"{n}{ending}"
