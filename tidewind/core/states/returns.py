"""Where a label for the way back stands."""

from __future__ import annotations

from enum import StrEnum, nonmember

from tidewind.core.states.machine import Machine


class ReturnState(StrEnum):
    """Where it stands; ``COUNTS``: a shipment has one at most.  ``FOLLOWED``: the carrier is asked about it.

    One that its carrier would not make stays with the shop until it is asked for again or closed.
    """

    MAKING = "making"
    READY = "ready"
    ON_ITS_WAY = "on_its_way"
    BACK = "back"
    CLOSED = "closed"
    CANCELLED = "cancelled"
    FAILED = "failed"

    COUNTS = nonmember(("making", "ready", "on_its_way", "back", "failed"))
    FOLLOWED = nonmember(("ready", "on_its_way"))
    UNUSED = nonmember(("making", "ready", "failed"))
    OVER = nonmember(("closed", "cancelled"))


class ReturnMove(StrEnum):
    """What can happen to a label for the way back."""

    MADE = "be_made"
    FAIL = "fail"
    AGAIN = "be_asked_for_again"
    SCANNED = "be_scanned"
    ARRIVE = "arrive"
    CLOSE = "be_closed"
    CANCEL = "be_cancelled"


_S = ReturnState
RETURN_MOVES: Machine[ReturnState, ReturnMove] = Machine(
    "the return",
    {
        ReturnMove.MADE: ((_S.MAKING,), _S.READY),
        ReturnMove.FAIL: ((_S.MAKING,), _S.FAILED),
        ReturnMove.AGAIN: ((_S.FAILED,), _S.MAKING),
        ReturnMove.SCANNED: ((_S.READY,), _S.ON_ITS_WAY),
        ReturnMove.ARRIVE: ((_S.READY, _S.ON_ITS_WAY), _S.BACK),
        ReturnMove.CLOSE: ((_S.ON_ITS_WAY, _S.BACK), _S.CLOSED),
        ReturnMove.CANCEL: ((_S.MAKING, _S.READY, _S.FAILED), _S.CANCELLED),
    },
)
