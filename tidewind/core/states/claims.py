"""Where a claim stands: money asked of a carrier for a parcel that was lost or damaged."""

from __future__ import annotations

from enum import StrEnum, nonmember

from tidewind.core.states.machine import Machine


class ClaimState(StrEnum):
    """Where it stands; ``COUNTS``: a shipment has one at most.  ``WAITS``: somebody has to do something, or wait."""

    OPEN = "open"
    SENT = "sent"
    PAID = "paid"
    REFUSED = "refused"
    DROPPED = "dropped"

    COUNTS = nonmember(("open", "sent", "paid"))
    WAITS = nonmember(("open", "sent"))


class ClaimMove(StrEnum):
    """What can happen to a claim."""

    SEND = "be_sent"
    PAY = "be_paid"
    REFUSE = "be_refused"
    DROP = "be_dropped"


_S = ClaimState
CLAIM_MOVES: Machine[ClaimState, ClaimMove] = Machine(
    "the claim",
    {
        ClaimMove.SEND: ((_S.OPEN, _S.SENT, _S.REFUSED), _S.SENT),
        ClaimMove.PAY: ((_S.SENT,), _S.PAID),
        ClaimMove.REFUSE: ((_S.SENT,), _S.REFUSED),
        ClaimMove.DROP: ((_S.OPEN, _S.SENT), _S.DROPPED),
    },
)
