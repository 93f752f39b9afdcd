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


def state_after(current: TrackingState, reported: TrackingState) -> TrackingState:
    """Return the state after an event: a final state stays, except that a lost parcel may turn up again."""
    if current in FINAL and not (current is TrackingState.LOST and reported is not TrackingState.ANNOUNCED):
        return current
    if reported is TrackingState.ANNOUNCED:
        return current
    return reported
