"""Whether a message is still true at the moment at which it goes: quiet hours, holding and retries take time.

What is told is told of a moment.  A mail written at two in the night and sent at eight must not say that a parcel is
out for delivery which was delivered at seven (worked example 24).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from tidewind.core.messages.triggers import OVERTAKEN, Trigger
from tidewind.core.tracking.states import TrackingState

_S = TrackingState
_ON_THE_WAY = frozenset({_S.ACCEPTED, _S.MOVING})
_TRUE_WHILE: Final[Mapping[Trigger, frozenset[TrackingState]]] = {
    "label": frozenset({_S.ANNOUNCED}) | _ON_THE_WAY,
    "handed_over": frozenset({_S.ANNOUNCED}) | _ON_THE_WAY,
    "moving": _ON_THE_WAY,
    "out_for_delivery": frozenset({_S.OUT_FOR_DELIVERY}),
    "awaiting_collection": frozenset({_S.AWAITING_COLLECTION}),
    "delivered": frozenset({_S.DELIVERED}),
    "not_delivered": frozenset(_S) - {_S.DELIVERED},
    "late": _ON_THE_WAY,
    "problem": frozenset({_S.PROBLEM}),
    "damaged": frozenset({_S.PROBLEM}),
    "address": frozenset({_S.PROBLEM}),
    "customs": frozenset({_S.PROBLEM}),
    "lost": frozenset({_S.LOST}),
    "returning": frozenset({_S.RETURNING}),
}
"""The states of a parcel in which each thing is true; money that went back stays so."""


@dataclass(frozen=True, slots=True)
class Known:
    """What is known of a shipment now: whether its label is good, where it is, whether it has left and is late."""

    travels: bool
    state: TrackingState
    left: bool
    late: bool


def overtaken(trigger: Trigger, known: Known) -> str:
    """Return why a message would be false now, for the log; nothing where it is true.

    A parcel that waits for its buyer is not late, whatever its day was: it is told to wait (shop policy).
    """
    if trigger not in _TRUE_WHILE:
        return ""
    if not known.travels:
        return f"{OVERTAKEN}: its label is worth nothing any more"
    if known.state not in _TRUE_WHILE[trigger]:
        return f"{OVERTAKEN}: the parcel is {known.state.value.replace('_', ' ')} by now"
    if trigger == "handed_over" and known.state is _S.ANNOUNCED and not known.left:
        return f"{OVERTAKEN}: it has not left after all"
    return f"{OVERTAKEN}: it is not late any more" if trigger == "late" and not known.late else ""
