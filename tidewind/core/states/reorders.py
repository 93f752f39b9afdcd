"""Where an order of a carrier's packaging stands, from the wish to the boxes on the shelf."""

from __future__ import annotations

from enum import StrEnum

from tidewind.core.states.machine import Machine


class ReorderState(StrEnum):
    """Where it stands."""

    ASKED = "asked"
    CONFIRMED = "confirmed"
    REFUSED = "refused"
    ARRIVED = "arrived"


class ReorderMove(StrEnum):
    """What can happen to it."""

    CONFIRM = "be_confirmed"
    REFUSE = "be_refused"
    ARRIVE = "arrive"


_S = ReorderState
REORDER_MOVES: Machine[ReorderState, ReorderMove] = Machine(
    "the packaging order",
    {
        ReorderMove.CONFIRM: ((_S.ASKED,), _S.CONFIRMED),
        ReorderMove.REFUSE: ((_S.ASKED,), _S.REFUSED),
        ReorderMove.ARRIVE: ((_S.CONFIRMED,), _S.ARRIVED),
    },
)
