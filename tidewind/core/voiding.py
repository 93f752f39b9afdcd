"""Voiding a label: until when it can be asked for, when the refund is overdue, and what a carrier's answer means."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, timedelta

from tidewind.core.quantities import Refused
from tidewind.core.states.labels import LabelState
from tidewind.core.tracking.states import TrackingState


@dataclass(frozen=True, slots=True)
class VoidRule:
    """A carrier's rule: labels can be voided for so many days, and a refund usually takes so many (card setting)."""

    within_days: int
    refund_days: int


def void_refusal(
    state: LabelState, tracking: Collection[TrackingState], bought_on: date, today: date, rule: VoidRule
) -> Refused | None:
    """Return why a label cannot be voided, None where it can be asked.

    ``tracking`` holds the states of its parcels: one that the carrier has scanned is in use.
    """
    if state is LabelState.VOID_ASKED:
        return Refused("asked", "the void is asked already; the carrier has not answered yet")
    if state is not LabelState.BOUGHT:
        return Refused("not_bought", f"the label is {state.value.replace('_', ' ')}, there is nothing to void")
    if any(seen is not TrackingState.ANNOUNCED for seen in tracking):
        return Refused("scanned", "the carrier has scanned the parcel already, so the label is used")
    last = bought_on + timedelta(days=rule.within_days)
    if today > last:
        return Refused("too_late", f"the carrier voids labels for {rule.within_days} days, until {last:%d %B %Y}")
    return None


def refund_due(asked_on: date, rule: VoidRule) -> date:
    """Return the day after which a refund that has not come is overdue, and the carrier is chased."""
    return asked_on + timedelta(days=rule.refund_days)
