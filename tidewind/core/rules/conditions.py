"""Conditions: a test on one fact, joined by all, any and not.

Three answers are possible: it holds, it does not, or nobody knows yet (Kleene's logic); only the first applies a rule.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from tidewind.core.rules.facts import CATALOGUE, NUMBERS, Facts, Value
from tidewind.core.tariffs.zones import in_postcodes, plain_postcode

Answer = bool | None
Operand = str | int | bool | tuple[str, ...] | tuple[int, int]


def _number(test: str) -> Callable[[int, Operand], bool]:
    return {
        "more_than": lambda v, to: v > to,
        "at_least": lambda v, to: v >= to,
        "less_than": lambda v, to: v < to,
        "at_most": lambda v, to: v <= to,
        "equals": lambda v, to: v == to,
        "between": lambda v, to: to[0] <= v <= to[1],
    }[test]


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

    def holds(self, facts: Facts) -> Answer:
        """Return whether the test holds; None while the fact is unknown."""
        value = facts.get(self.fact)
        return None if value is None else self._compare(value)

    def _compare(self, value: Value) -> bool:
        kind, to = CATALOGUE[self.fact].kind, self.to
        if kind in NUMBERS:
            return _number(self.test)(value, to)  # type: ignore[arg-type]
        if kind == "text":
            return _TEXT[self.test](str(value).casefold(), str(to).casefold())
        if kind == "choice":
            return (value in to) is (self.test == "is_any_of")  # type: ignore[operator]
        if kind == "postcode":
            inside = in_postcodes(plain_postcode(str(value)), to)  # type: ignore[arg-type]
            return inside is (self.test == "is_in")
        if kind == "time":
            return (str(value) >= str(to)) is (self.test == "from")
        if kind == "flag":
            return value is to
        return self._compare_set(value, to)  # type: ignore[arg-type]

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

    def holds(self, facts: Facts) -> Answer:
        """Return whether all parts hold."""
        answers = [part.holds(facts) for part in self.parts]
        if False in answers:
            return False
        return None if None in answers else True


@dataclass(frozen=True, slots=True)
class Any:
    """At least one part holds."""

    parts: tuple[Condition, ...]

    def holds(self, facts: Facts) -> Answer:
        """Return whether one part holds."""
        answers = [part.holds(facts) for part in self.parts]
        if True in answers:
            return True
        return None if None in answers else False


@dataclass(frozen=True, slots=True)
class Not:
    """The part does not hold."""

    part: Condition

    def holds(self, facts: Facts) -> Answer:
        """Return whether the part fails."""
        answer = self.part.holds(facts)
        return None if answer is None else not answer


Condition = Test | All | Any | Not
EVERYTHING = All(())


def facts_asked(condition: Condition) -> frozenset[str]:
    """Return the codes of all facts a condition looks at."""
    match condition:
        case Test(fact=fact):
            return frozenset({fact})
        case Not(part=part):
            return facts_asked(part)
        case All(parts=parts) | Any(parts=parts):
            return frozenset().union(*(facts_asked(part) for part in parts))
