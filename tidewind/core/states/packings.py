"""Where the packing of an order stands."""

from __future__ import annotations

from enum import StrEnum, nonmember

from tidewind.core.states.machine import Machine


class PackingState(StrEnum):
    """Where it stands; ``HOLDS``: nobody else packs the order meanwhile."""

    OPEN = "open"
    BUYING = "buying"
    PACKED = "packed"
    LEFT = "left"
    UNDONE = "undone"

    HOLDS = nonmember(("open", "buying"))


class PackingMove(StrEnum):
    """What can happen to a packing."""

    BUY = "have_its_label_bought"
    FAIL = "have_its_label_refused"
    FAIL_ASIDE = "have_its_label_refused_while_it_lies_aside"
    FINISH = "be_finished"
    LEAVE = "be_left_for_later"
    TAKE_UP = "be_taken_up_again"
    UNDO = "be_undone"


_S = PackingState
PACKING_MOVES: Machine[PackingState, PackingMove] = Machine(
    "the packing",
    {
        PackingMove.BUY: ((_S.OPEN,), _S.BUYING),
        PackingMove.FAIL: ((_S.BUYING,), _S.OPEN),
        PackingMove.FAIL_ASIDE: ((_S.BUYING,), _S.LEFT),
        PackingMove.FINISH: ((_S.OPEN, _S.BUYING), _S.PACKED),
        PackingMove.LEAVE: ((_S.OPEN,), _S.LEFT),
        PackingMove.TAKE_UP: ((_S.LEFT,), _S.OPEN),
        PackingMove.UNDO: ((_S.PACKED, _S.OPEN), _S.UNDONE),
    },
)
