"""Where a print stands on its way to paper."""

from __future__ import annotations

from enum import StrEnum

from tidewind.core.states.machine import Machine


class PrintState(StrEnum):
    """Where it stands; what a printer has taken is not on paper yet."""

    WAITING = "waiting"
    TAKEN = "taken"
    PRINTED = "printed"
    IN_DOUBT = "in_doubt"
    CANCELLED = "cancelled"


class PrintMove(StrEnum):
    """What can happen to a print."""

    TAKE = "be_taken_by_the_printer"
    FINISH = "be_printed"
    GIVE_BACK = "come_back_from_the_printer"
    LOSE_SIGHT = "be_lost_sight_of"
    CANCEL = "be_cancelled"
    CANCEL_THERE = "be_cancelled_at_the_printer"


_S = PrintState
PRINT_MOVES: Machine[PrintState, PrintMove] = Machine(
    "the print",
    {
        PrintMove.TAKE: ((_S.WAITING,), _S.TAKEN),
        PrintMove.FINISH: ((_S.WAITING, _S.TAKEN, _S.IN_DOUBT), _S.PRINTED),
        PrintMove.GIVE_BACK: ((_S.TAKEN,), _S.WAITING),
        # The printer knows nothing of it any more: only a look into its tray tells whether it came out.
        PrintMove.LOSE_SIGHT: ((_S.TAKEN,), _S.IN_DOUBT),
        PrintMove.CANCEL: ((_S.WAITING, _S.IN_DOUBT), _S.CANCELLED),
        PrintMove.CANCEL_THERE: ((_S.TAKEN,), _S.CANCELLED),
    },
)
