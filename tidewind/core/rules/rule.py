"""A rule: when its condition holds, do its actions."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import takewhile
from typing import Literal

from tidewind.core.rules.conditions import EVERYTHING, Answer, Condition, compile_condition, tests_of
from tidewind.core.rules.facts import Facts

ActionKind = Literal[
    "recipe",
    "service",
    "packaging",
    "add_extra",
    "remove_extra",
    "value",
    "split",
    "ship_date",
    "desk",
    "tag",
    "hold",
    "leave_out",
    "approval",
    "stop",
]

ACTIONS: Mapping[ActionKind, str] = {
    "recipe": "use the recipe",
    "service": "send by",
    "packaging": "pack in",
    "add_extra": "add the extra",
    "remove_extra": "take off the extra",
    "value": "set the order value to",
    "split": "split into parcels of at most",
    "ship_date": "ship not before",
    "desk": "assign to the desk",
    "tag": "tag it",
    "hold": "hold it, because",
    "leave_out": "leave it out, because",
    "approval": "ask for approval, because",
    "stop": "stop here",
}


@dataclass(frozen=True, slots=True)
class Split:
    """How to divide an order into parcels: at most so many pieces, or so many grams of goods, in each."""

    by: Literal["quantity", "weight"]
    most: int


@dataclass(frozen=True, slots=True)
class NotBefore:
    """A ship date: so many working days after the order was placed, or a date (ISO 8601)."""

    working_days: int | None = None
    date: str | None = None


@dataclass(frozen=True, slots=True)
class Action:
    """One thing a rule does: what is set, and to what (a code, a text, minor units; nothing for ``stop``)."""

    set: ActionKind
    to: str | int | Split | NotBefore | None = None


@dataclass(frozen=True, slots=True)
class Rule:
    """One rule; ``id`` is stable over versions and moves.

    ``does`` is what it does before it stops, ``stops`` tells that no rule below it is asked where it holds, and
    ``turns`` are the times of day (HH:MM) that it asks for.
    """

    id: str
    name: str
    when: Condition = EVERYTHING
    do: tuple[Action, ...] = field(default=())
    on: bool = True
    holds: Callable[[Facts], Answer] = field(init=False, compare=False, repr=False)
    does: tuple[Action, ...] = field(init=False, compare=False, repr=False)
    stops: bool = field(init=False, compare=False, repr=False)
    turns: frozenset[str] = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        does = tuple(takewhile(lambda action: action.set != "stop", self.do))
        object.__setattr__(self, "holds", compile_condition(self.when))
        object.__setattr__(self, "does", does)
        object.__setattr__(self, "stops", len(does) < len(self.do))
        asked = [test for test in tests_of(self.when) if test.fact == "planned_time"]
        object.__setattr__(self, "turns", frozenset(str(test.to) for test in asked))


def turns_of(rules: Sequence[Rule]) -> tuple[str, ...]:
    """Return the times of day (HH:MM) that rules ask for: plans may change when the clock passes them."""
    return tuple(sorted({turn for rule in rules if rule.on for turn in rule.turns}))
