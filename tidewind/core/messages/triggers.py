"""What a buyer can be told of, and which event of a parcel is told as what."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Final, Literal, get_args

from tidewind.core.tracking.states import TrackingState

Trigger = Literal[
    "label",
    "handed_over",
    "moving",
    "out_for_delivery",
    "awaiting_collection",
    "delivered",
    "not_delivered",
    "late",
    "problem",
    "damaged",
    "address",
    "customs",
    "lost",
    "returning",
    "refund",
]
TRIGGERS: Final[tuple[Trigger, ...]] = get_args(Trigger)
BY_ITSELF: Final = frozenset[Trigger]({"label", "awaiting_collection", "refund"})
"""What a shop that has said nothing tells by mail: what the buyer has to do something about, or was promised."""
OLD_NEWS: Final = timedelta(hours=36)
"""What happened longer ago is not told any more: the buyer has seen it happen (shop policy)."""
_OF_STATE: Final[dict[TrackingState, Trigger]] = {
    TrackingState.MOVING: "moving",
    TrackingState.OUT_FOR_DELIVERY: "out_for_delivery",
    TrackingState.AWAITING_COLLECTION: "awaiting_collection",
    TrackingState.DELIVERED: "delivered",
    TrackingState.PROBLEM: "problem",
    TrackingState.LOST: "lost",
    TrackingState.RETURNING: "returning",
}
_OF_REASON: Final[dict[str, Trigger]] = {"damaged": "damaged", "address": "address", "customs": "customs"}
"""Problems that a buyer reads about in their own words, by the reason that the carrier says."""
GOES_BY: Final[dict[Trigger, Trigger]] = {
    "damaged": "problem",
    "address": "problem",
    "customs": "problem",
    "lost": "problem",
    "not_delivered": "delivered",
}
"""Told where the other is, unless somebody has said otherwise of it: kinds of problems, and what takes a word back."""
OVERTAKEN: Final = "overtaken"
"""How the reason begins for which a message was withdrawn: what it told may come true again, and is told then."""


def trigger_of(before: str, state: TrackingState, reason: str = "") -> Trigger | None:
    """Return what a change of state is told as; None where it is no change, or nothing to be told."""
    if before == state:
        return None
    if before == TrackingState.DELIVERED:
        return "not_delivered"  # its carrier has taken back that it was
    if state is TrackingState.PROBLEM and reason in _OF_REASON:
        return _OF_REASON[reason]
    return _OF_STATE.get(state)


def is_old_news(happened_at: datetime, now: datetime) -> bool:
    """Tell whether something happened too long ago to be told."""
    return now - happened_at > OLD_NEWS
