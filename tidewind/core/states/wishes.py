"""Where a buyer's wish for a delivery stands: it is asked of the carrier until that has said yes or no."""

from __future__ import annotations

from enum import StrEnum, nonmember

from tidewind.core.states.machine import Machine


class WishState(StrEnum):
    """Where it stands; ``COUNTS``: a shipment has one at most."""

    ASKED = "asked"
    TAKEN = "taken"
    REFUSED = "refused"

    COUNTS = nonmember(("asked", "taken"))


class WishMove(StrEnum):
    """What can happen to a wish."""

    TAKE = "be_taken"
    REFUSE = "be_refused"


WISH_MOVES: Machine[WishState, WishMove] = Machine(
    "the wish",
    {
        WishMove.TAKE: ((WishState.ASKED,), WishState.TAKEN),
        WishMove.REFUSE: ((WishState.ASKED,), WishState.REFUSED),
    },
)
