"""Where a departure stands, from its first label to the truck."""

from __future__ import annotations

from enum import StrEnum

from tidewind.core.states.machine import Machine


class DepartureState(StrEnum):
    """Where a departure stands."""

    OPEN = "open"
    CLOSED = "closed"
    HANDED_OVER = "handed_over"
    MISSED = "missed"


class DepartureMove(StrEnum):
    """What can happen to a departure."""

    CLOSE = "be_closed"
    REOPEN = "be_opened_again"
    HAND_OVER = "be_handed_over"
    MISS = "be_missed"
    RECOUNT = "have_its_count_opened_again"


DEPARTURE_MOVES: Machine[DepartureState, DepartureMove] = Machine(
    "the departure",
    {
        DepartureMove.CLOSE: ((DepartureState.OPEN,), DepartureState.CLOSED),
        DepartureMove.REOPEN: ((DepartureState.CLOSED,), DepartureState.OPEN),
        DepartureMove.HAND_OVER: (
            (DepartureState.OPEN, DepartureState.CLOSED, DepartureState.MISSED),
            DepartureState.HANDED_OVER,
        ),
        DepartureMove.MISS: ((DepartureState.OPEN, DepartureState.CLOSED), DepartureState.MISSED),
        DepartureMove.RECOUNT: ((DepartureState.HANDED_OVER,), DepartureState.CLOSED),
    },
)
