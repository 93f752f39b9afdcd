"""One set of tracking states for all carriers, and which state may follow which."""

from __future__ import annotations

from enum import StrEnum


class TrackingState(StrEnum):
    """Where a parcel is, whatever its carrier calls it."""

    ANNOUNCED = "announced"
    ACCEPTED = "accepted"
    MOVING = "moving"
    OUT_FOR_DELIVERY = "out_for_delivery"
    AWAITING_COLLECTION = "awaiting_collection"
    DELIVERED = "delivered"
    PROBLEM = "problem"
    RETURNING = "returning"
    RETURNED = "returned"
    LOST = "lost"


FINAL = frozenset({TrackingState.DELIVERED, TrackingState.RETURNED, TrackingState.LOST})

RANK = {
    TrackingState.ANNOUNCED: 0,
    TrackingState.ACCEPTED: 1,
    TrackingState.MOVING: 2,
    TrackingState.OUT_FOR_DELIVERY: 3,
    TrackingState.PROBLEM: 4,
    TrackingState.AWAITING_COLLECTION: 5,
    TrackingState.RETURNING: 6,
    TrackingState.LOST: 7,
    TrackingState.DELIVERED: 8,
    TrackingState.RETURNED: 9,
}
"""Of two events of one instant the later state counts."""
REASONS = ("refused", "address", "customs", "damaged")
"""Why there is a problem, where a carrier says so: its code means ``problem:refused``."""


def meaning_of(written: str) -> tuple[TrackingState, str]:
    """Return the state and the reason that a carrier's code stands for, as its mapping has them (``problem:customs``).

    Raises ValueError for what is no state of ours.
    """
    state, _, reason = written.partition(":")
    if reason and (reason not in REASONS or state != TrackingState.PROBLEM):
        raise ValueError(f"{written!r} is no tracking state")
    return TrackingState(state), reason


def state_after(current: TrackingState, reported: TrackingState) -> TrackingState:
    """Return the state after an event.

    A final state stays, except that a lost parcel may turn up again.  What is on its way back stays so until it is
    back: its scans look like those of the way there, and *delivered* then means delivered to the sender.
    """
    if current in FINAL and not (current is TrackingState.LOST and reported is not TrackingState.ANNOUNCED):
        return current
    if reported is TrackingState.ANNOUNCED:
        return current
    if current is TrackingState.RETURNING and reported is not TrackingState.LOST:
        back = reported in {TrackingState.DELIVERED, TrackingState.RETURNED}
        return TrackingState.RETURNED if back else current
    return reported
