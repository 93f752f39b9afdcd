"""Where a pickup stands, from the wish to the van that came or did not."""

from __future__ import annotations

from enum import StrEnum, nonmember

from tidewind.core.states.machine import Machine


class PickupState(StrEnum):
    """Where it stands.

    ``STANDS``: a departure has one at most that is being asked for, and one at most that is booked; a booked one stays
    beside the one that is asked for in its stead until the carrier has said yes.
    """

    ASKED = "asked"
    BOOKED = "booked"
    REFUSED = "refused"
    CANCELLING = "cancelling"
    CANCELLED = "cancelled"
    DONE = "done"
    MISSED = "missed"

    STANDS = nonmember(("asked", "booked", "cancelling"))
    AT_THE_CARRIER = nonmember(("booked", "cancelling"))


class PickupMove(StrEnum):
    """What can happen to a pickup."""

    BOOK = "be_booked"
    REFUSE = "be_refused"
    ASK_CANCEL = "be_cancelled"
    CANCEL = "be_taken_back"
    REFUSE_CANCEL = "have_its_cancelling_refused"
    REPLACE = "be_replaced"
    FETCH = "be_fetched"
    MISS = "be_missed"


_S = PickupState
PICKUP_MOVES: Machine[PickupState, PickupMove] = Machine(
    "the pickup",
    {
        PickupMove.BOOK: ((_S.ASKED,), _S.BOOKED),
        PickupMove.REFUSE: ((_S.ASKED,), _S.REFUSED),
        PickupMove.ASK_CANCEL: ((_S.BOOKED,), _S.CANCELLING),
        PickupMove.CANCEL: ((_S.CANCELLING,), _S.CANCELLED),
        PickupMove.REFUSE_CANCEL: ((_S.CANCELLING,), _S.BOOKED),
        PickupMove.REPLACE: ((_S.BOOKED, _S.CANCELLING), _S.CANCELLED),
        # A van can come late, and after somebody has given it up.
        PickupMove.FETCH: ((_S.BOOKED, _S.CANCELLING, _S.MISSED), _S.DONE),
        PickupMove.MISS: ((_S.BOOKED, _S.CANCELLING), _S.MISSED),
    },
)
