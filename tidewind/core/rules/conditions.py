"""Conditions: a test on one fact, joined by all, any and not.

Three answers are possible: it holds, it does not, or nobody knows yet (Kleene's logic); only the first applies a rule.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any as Any_

from tidewind.core.rules.facts import CATALOGUE, NUMBERS, Facts
from tidewind.core.tariffs.zones import in_postcodes, plain_postcode

Answer = bool | None
Operand = str | int | bool | tuple[str, ...] | tuple[int, int]


_LIMIT: Mapping[str, Callable[[Any_, Any_], bool]] = {
    "more_than": operator.lt,
    "at_least": operator.le,
    "less_than": operator.gt,
    "at_most": operator.ge,
    "equals": operator.eq,
}
"""A limit compared with a number, the limit first: so it can be bound, and nothing of it runs in Python."""
_TEXT: Mapping[str, Callable[[str, str], bool]] = {
    "is": lambda v, to: v == to,
    "is_not": lambda v, to: v != to,
    "contains": lambda v, to: to in v,
    "contains_not": lambda v, to: to not in v,
    "starts_with": lambda v, to: v.startswith(to),
}


def _begins(members: frozenset[str], wanted: tuple[str, ...]) -> set[str]:
    """Return the members that begin with one of the wanted texts: an HS code is asked for by its first digits."""
    return {m for m in members if m.startswith(wanted)}


@dataclass(frozen=True, slots=True)
class Test:
    """One fact compared with something: ``value at_least 8000``."""

    __test__ = False  # pytest: not a test class
    fact: str
    test: str
    to: Operand

    def predicate(self) -> Callable[[Any_], bool]:
        """Return the comparison with what a fact is, looked up once for many orders."""
        kind, to = CATALOGUE[self.fact].kind, self.to
        if kind in NUMBERS:
            return partial(_LIMIT[self.test], to) if self.test in _LIMIT else self._between(to)
        if kind == "text":
            same, wanted = _TEXT[self.test], str(to).casefold()
            return lambda value: same(str(value).casefold(), wanted)
        if kind == "time":
            return lambda value: (value >= to) is (self.test == "from")
        if kind == "flag":
            return lambda value: value is to
        return self._among(kind, to)

    def _between(self, to: Any_) -> Callable[[Any_], bool]:
        least, most = to
        return lambda value: least <= value <= most

    def _among(self, kind: str, to: Any_) -> Callable[[Any_], bool]:
        inside = self.test in {"is_any_of", "is_in"}
        if kind == "choice":
            return lambda value: (value in to) is inside
        if kind == "postcode":
            return lambda value: in_postcodes(plain_postcode(value), to) is inside
        return lambda members: self._compare_set(members, to)

    def _compare_set(self, members: frozenset[str], to: tuple[str, ...]) -> bool:
        hit = _begins(members, to) if self.fact == "hs_code" else members & set(to)
        if self.test == "includes_all":
            return all(any(m.startswith(t) if self.fact == "hs_code" else m == t for m in members) for t in to)
        if self.test == "includes_only":
            return bool(members) and len(hit) == len(members)
        return bool(hit) is (self.test == "includes_any")


@dataclass(frozen=True, slots=True)
class All:
    """Every part holds; with no part at all it is every order."""

    parts: tuple[Condition, ...]


@dataclass(frozen=True, slots=True)
class Any:
    """At least one part holds."""

    parts: tuple[Condition, ...]


@dataclass(frozen=True, slots=True)
class Not:
    """The part does not hold."""

    part: Condition


Condition = Test | All | Any | Not
EVERYTHING = All(())


def compile_condition(condition: Condition) -> Callable[[Facts], Answer]:
    """Return a condition as a function of facts: True, False, or None while it cannot be known (Kleene's logic)."""
    match condition:
        case Test(fact=fact):
            holds = condition.predicate()

            def one(facts: Facts) -> Answer:
                value = facts.get(fact)
                return None if value is None else holds(value)

            return one
        case Not(part=part):
            inner = compile_condition(part)

            def opposite(facts: Facts) -> Answer:
                answer = inner(facts)
                return None if answer is None else not answer

            return opposite
        case All(parts=parts):
            return _joined([compile_condition(p) for p in parts], False)
        case Any(parts=parts):
            return _joined([compile_condition(p) for p in parts], True)


def _joined(parts: Sequence[Callable[[Facts], Answer]], decides: bool) -> Callable[[Facts], Answer]:
    """Return all (one False decides) or any (one True decides) of the parts."""
    if len(parts) == 1:
        return parts[0]
    opposite = not decides

    def joined(facts: Facts) -> Answer:
        answer: Answer = opposite
        for part in parts:
            found = part(facts)
            if found is decides:
                return decides
            if found is None:
                answer = None
        return answer

    return joined


def tests_of(condition: Condition) -> frozenset[Test]:
    """Return all tests in a condition."""
    match condition:
        case Test():
            return frozenset({condition})
        case Not(part=part):
            return tests_of(part)
        case All(parts=parts) | Any(parts=parts):
            return frozenset().union(*(tests_of(part) for part in parts))


def facts_asked(condition: Condition) -> frozenset[str]:
    """Return the codes of all facts a condition looks at."""
    return frozenset(test.fact for test in tests_of(condition))
