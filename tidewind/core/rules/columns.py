"""Rules over many orders at once: each test is asked once of each value that occurs, not of each order."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from tidewind.core.rules.conditions import All, Any, Condition, Not, Test
from tidewind.core.rules.evaluate import Held
from tidewind.core.rules.facts import Facts
from tidewind.core.rules.rule import Rule

Answers = npt.NDArray[np.int8]
_HOLDS, _UNKNOWN, _NOT = np.int8(1), np.int8(0), np.int8(-1)
"""Kleene's three answers as figures: ``all`` is then the least, ``any`` the greatest, and ``not`` the negative."""


class FactColumns:
    """The facts of many orders by column: the values that occur, and the number of each order's value."""

    def __init__(self, facts: Sequence[Facts]) -> None:
        self._facts = facts
        self._columns: dict[str, tuple[npt.NDArray[np.int64], list[object]]] = {}

    def answers(self, condition: Condition) -> Answers:
        """Return what a condition answers for each order."""
        match condition:
            case Test(fact=fact):
                holds = condition.predicate()
                numbers, values = self._column(fact)
                each = [_UNKNOWN if v is None else _HOLDS if holds(v) else _NOT for v in values]
                return np.array(each, np.int8)[numbers]
            case Not(part=part):
                return -self.answers(part)
            case All(parts=parts):
                return self._reduced(np.minimum, _HOLDS, parts)
            case Any(parts=parts):
                return self._reduced(np.maximum, _NOT, parts)

    def _reduced(self, two: np.ufunc, none: np.int8, parts: Sequence[Condition]) -> Answers:
        answer: Answers = np.full(len(self._facts), none)
        for part in parts:
            two(answer, self.answers(part), out=answer)
        return answer

    def _column(self, fact: str) -> tuple[npt.NDArray[np.int64], list[object]]:
        if fact not in self._columns:
            known: dict[object, int] = {}
            numbers = [known.setdefault(facts.get(fact), len(known)) for facts in self._facts]
            self._columns[fact] = np.array(numbers, np.int64), list(known)
        return self._columns[fact]


def holding_of_each(rules: Sequence[Rule], facts: Sequence[Facts]) -> list[Held]:
    """Return for each order the rules that hold, as ``holding`` does for one."""
    found: list[Held] = [[] for _ in facts]
    if not facts:
        return found
    columns, going = FactColumns(facts), np.ones(len(facts), np.bool_)
    for number, rule in enumerate(rules, 1):
        if not rule.on:
            continue
        held = np.flatnonzero(going & (columns.answers(rule.when) == _HOLDS))
        for n in held.tolist():
            found[n].append((number, rule))
        if rule.stops:
            going[held] = False
    return found
