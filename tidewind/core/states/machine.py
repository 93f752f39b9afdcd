"""A transition table: named moves, each from some states to one; a move that cannot be is refused as a value."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import Enum, StrEnum
from typing import Generic, TypeVar

from tidewind.core.quantities import Refused

State = TypeVar("State", bound=Enum)
Move = TypeVar("Move", bound=StrEnum)


class Machine(Generic[State, Move]):
    """All moves of one kind of thing; ``thing`` names it in refusals (``the label``)."""

    def __init__(self, thing: str, moves: Mapping[Move, tuple[Iterable[State], State]]) -> None:
        self.thing = thing
        self._moves = {move: (frozenset(starts), end) for move, (starts, end) in moves.items()}

    def after(self, state: State, move: Move) -> State | Refused:
        """Return the state that a move leads to, or why it cannot be made from here."""
        starts, end = self._moves[move]
        if state in starts:
            return end
        words = f"{self.thing} {words_of(state)}; it cannot {move.value.replace('_', ' ')}"
        return Refused("state", words)

    def may(self, state: State, move: Move) -> bool:
        """Tell whether a move can be made from a state."""
        return state in self._moves[move][0]

    def follows(self, before: State, after: State) -> bool:
        """Tell whether some move leads from one state to another."""
        return any(before in starts and end is after for starts, end in self._moves.values())

    def final(self, state: State) -> bool:
        """Tell whether no move leads out of a state."""
        return not any(state in starts and end is not state for starts, end in self._moves.values())


_SAID = {
    "ARRIVED": "has arrived",
    "ASKED": "is asked for, and not answered yet",
    "BUYING": "waits for a label that is being bought",
    "CANCELLING": "is being cancelled",
    "FAILED": "has failed",
    "LEFT": "is left for later",
    "MAKING": "is being made",
    "MAPPING": "waits for its columns",
    "MISSED": "was missed",
    "TAKEN": "is taken already",
    "VOID_ASKED": "is being voided",
    "VOID_REFUSED": "was refused its void",
}
"""What does not read as ``is`` and the name of the state."""


def words_of(state: Enum) -> str:
    """Say where something stands: ``is held by a rule``, ``is being cancelled``."""
    return _SAID.get(state.name) or f"is {state.name.lower().replace('_', ' ')}"


def sql_list(states: Iterable[StrEnum]) -> str:
    """Return states as the list of an SQL ``in``, for the checks of tables and for partial indexes."""
    return f"({', '.join(repr(state.value) for state in states)})"
