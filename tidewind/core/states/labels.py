"""Where a label stands, from the intent to buy it to the refund."""

from __future__ import annotations

from enum import StrEnum, nonmember

from tidewind.core.states.machine import Machine


class LabelState(StrEnum):
    """Where a label stands.

    ``COUNTS``: an order has one at most (decision 0016: one being voided is none).  ``TRAVELS``: paid, and the parcel
    may be on its way.  ``COVERED``: declared to an insurer; one whose void is asked for may still travel.
    """

    BUYING = "buying"
    BOUGHT = "bought"
    FAILED = "failed"
    VOID_ASKED = "void_asked"
    VOIDED = "voided"
    VOID_REFUSED = "void_refused"

    COUNTS = nonmember(("buying", "bought"))
    TRAVELS = nonmember(("bought", "void_refused"))
    COVERED = nonmember(("bought", "void_asked", "void_refused"))


class LabelMove(StrEnum):
    """What can happen to a label."""

    SELL = "be_sold"
    FAIL = "fail"
    ASK_VOID = "be_voided"
    REFUND = "be_refunded"
    REFUSE_VOID = "have_its_void_refused"


LABEL_MOVES: Machine[LabelState, LabelMove] = Machine(
    "the label",
    {
        LabelMove.SELL: ((LabelState.BUYING,), LabelState.BOUGHT),
        LabelMove.FAIL: ((LabelState.BUYING,), LabelState.FAILED),
        LabelMove.ASK_VOID: ((LabelState.BOUGHT,), LabelState.VOID_ASKED),
        LabelMove.REFUND: ((LabelState.VOID_ASKED,), LabelState.VOIDED),
        LabelMove.REFUSE_VOID: ((LabelState.VOID_ASKED,), LabelState.VOID_REFUSED),
    },
)
