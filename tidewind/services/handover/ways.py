"""The ways a departure can leave: what each costs and until when, asked before its labels are bought."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from tidewind.services.base import Invalid
from tidewind.services.handover.departures import DepartureKey
from tidewind.services.handover.lanes import Lane, lanes_on
from tidewind.services.handover.points import PointSeen, points_seen

MOST_AT_ONCE, NEAREST = 20, 4


@dataclass(frozen=True, slots=True)
class Ways:
    """How a departure can leave: by the van of its lane, if one comes, or taken to one of the nearest points."""

    lane: Lane
    points: tuple[PointSeen, ...]


def ways_of(session: Session, keys: Sequence[DepartureKey], now: datetime) -> list[Ways]:
    """Return the ways of departures; of a network that there is not, nothing.  The chosen point is always among them.

    Raises Invalid for more departures than one purchase has.
    """
    if len(keys) > MOST_AT_ONCE:
        raise Invalid("too_many", f"At most {MOST_AT_ONCE} departures are looked at at once.")
    lanes = {
        DepartureKey(lane.carrier, lane.network, lane.day): lane
        for day in sorted({key.day for key in keys})
        for lane in lanes_on(session, day, now)
    }
    return [Ways(lanes[key], _nearest(points_seen(session, key, now))) for key in keys if key in lanes]


def _nearest(points: Sequence[PointSeen]) -> tuple[PointSeen, ...]:
    return tuple(seen for n, seen in enumerate(points) if n < NEAREST or seen.chosen)
