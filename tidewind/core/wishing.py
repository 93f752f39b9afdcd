"""What a buyer may still wish of a delivery: another day, a neighbour, a point near them; as far as its carrier can."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Final, Literal, get_args

from tidewind.core.calendar import is_working_day
from tidewind.core.tracking.states import TrackingState

WishKind = Literal["other_day", "neighbour", "collect"]
KINDS: Final[tuple[WishKind, ...]] = get_args(WishKind)
CAN: Final = {kind: f"wish_{kind}" for kind in KINDS}
"""The word by which a carrier says that it can (docs/protocols/carrier.yaml)."""
_ON_ITS_WAY = frozenset({TrackingState.ACCEPTED, TrackingState.MOVING})
AHEAD, WORDS = 7, 120
"""Days that may be chosen after the expected arrival, and how much may be said of a neighbour (shop policy)."""


@dataclass(frozen=True, slots=True)
class Wish:
    """One wish: with a day where it is another one, with words where it is a neighbour."""

    kind: WishKind
    day: date | None = None
    words: str = ""


@dataclass(frozen=True, slots=True)
class Choices:
    """What may be wished, and the days that may be; nothing once the driver has it, or where the carrier cannot."""

    kinds: tuple[WishKind, ...] = ()
    days: tuple[date, ...] = ()


def choices(can: Collection[str], state: TrackingState, arrives: date | None, today: date, country: str) -> Choices:
    """Return what may be wished of a parcel: a day after the one on which it can first be there (shop policy)."""
    if state not in _ON_ITS_WAY:
        return Choices()
    soonest = max(today, arrives or today)
    ahead = (soonest + timedelta(days=n) for n in range(1, AHEAD + 1))
    days = tuple(day for day in ahead if is_working_day(day, country))
    kinds = tuple(kind for kind in KINDS if CAN[kind] in can and (days or kind != "other_day"))
    return Choices(kinds, days if "other_day" in kinds else ())


def is_whole(wish: Wish, may: Choices) -> bool:
    """Tell whether a wish is one that may be, with what belongs to it."""
    if wish.kind not in may.kinds:
        return False
    if wish.kind == "other_day":
        return wish.day in may.days
    return wish.kind != "neighbour" or 0 < len(wish.words) <= WORDS
