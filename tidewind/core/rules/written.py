"""Rules in their written form (JSON values) and back; described in docs/rules.md.

Reading is total: whatever comes in, the answer is rules or a list of errors that name the place in words.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any as Json

from tidewind.core.addresses.check import tidy
from tidewind.core.rules.conditions import All, Any, Condition, Not, Operand, Test
from tidewind.core.rules.facts import CATALOGUE, NUMBERS, TESTS, Fact
from tidewind.core.rules.rule import ACTIONS, Action, NotBefore, Rule, Split

MOST_RULES, MOST_DEPTH, MOST_PARTS, MOST_VALUES, MOST_ERRORS = 500, 8, 200, 500, 20
LARGEST = 10**12
_TIME = re.compile(r"([01]\d|2[0-3]):[0-5]\d")
_POSTCODES = re.compile(r"[0-9A-Za-z]{1,10}(-[0-9A-Za-z]{1,10})?")
_TEXTS = frozenset(ACTIONS) - {"value", "split", "ship_date", "stop"}


@dataclass(frozen=True, slots=True)
class BadRules:
    """Why written rules cannot be used: the place and the reason, one line each."""

    errors: tuple[str, ...]


class _Fault(Exception):
    """One error with its place; never leaves this module."""


def _text(value: Json, where: str, most: int = 120) -> str:
    if not isinstance(value, str) or not tidy(value):
        raise _Fault(f"{where}: a text is expected")
    if len(value) > most:
        raise _Fault(f"{where}: at most {most} characters")
    return tidy(value)


def _whole(value: Json, where: str, least: int = 0) -> int:
    if isinstance(value, bool) or not isinstance(value, int) or not least <= value <= LARGEST:
        raise _Fault(f"{where}: a whole number from {least} is expected (minor units, g, mm)")
    return value


def _only(body: Json, allowed: set[str], where: str) -> dict[str, Json]:
    if not isinstance(body, dict):
        raise _Fault(f"{where}: an object is expected")
    unknown = sorted(str(key)[:40] for key in body if key not in allowed)
    if unknown:
        raise _Fault(f"{where}: “{unknown[0]}” is not known here; known are {', '.join(sorted(allowed))}")
    return body


def _list(value: Json, where: str, most: int) -> list[Json]:
    if not isinstance(value, list) or len(value) > most:
        raise _Fault(f"{where}: a list of at most {most} is expected")
    return value


class _Conditions:
    """Reads one rule's condition, counting its parts."""

    def __init__(self) -> None:
        self.parts = 0

    def read(self, body: Json, where: str, depth: int = 0) -> Condition:
        self.parts += 1
        if depth > MOST_DEPTH or self.parts > MOST_PARTS:
            raise _Fault(f"{where}: at most {MOST_DEPTH} levels and {MOST_PARTS} parts fit into one rule")
        if not isinstance(body, dict):
            raise _Fault(f"{where}: a condition is an object with “all”, “any”, “not” or “fact”")
        for word, kind in (("all", All), ("any", Any)):
            if word in body:
                _only(body, {word}, where)
                parts = _list(body[word], f"{where}.{word}", MOST_PARTS)
                if kind is Any and not parts:
                    raise _Fault(f"{where}.any: needs at least one part, else it could never hold")
                return kind(tuple(self.read(p, f"{where}.{word}[{n}]", depth + 1) for n, p in enumerate(parts)))
        if "not" in body:
            _only(body, {"not"}, where)
            return Not(self.read(body["not"], f"{where}.not", depth + 1))
        return self._test(_only(body, {"fact", "test", "to"}, where), where)

    def _test(self, body: dict[str, Json], where: str) -> Test:
        fact = CATALOGUE.get(body["fact"]) if isinstance(body.get("fact"), str) else None
        if fact is None:
            raise _Fault(f"{where}.fact: is none of {', '.join(CATALOGUE)}")
        if body.get("test") not in TESTS[fact.kind]:
            raise _Fault(f"{where}.test: for “{fact.code}” it is one of {', '.join(TESTS[fact.kind])}")
        return Test(fact.code, body["test"], _operand(fact, body["test"], body.get("to"), f"{where}.to"))


def _operand(fact: Fact, test: str, to: Json, where: str) -> Operand:
    if fact.kind in NUMBERS:
        if test != "between":
            return _whole(to, where)
        ends = _list(to, where, 2)
        if len(ends) != 2 or _whole(ends[0], where) > _whole(ends[1], where):
            raise _Fault(f"{where}: two numbers are expected, the smaller first")
        return (ends[0], ends[1])
    if fact.kind == "text":
        return _text(to, where)
    if fact.kind == "flag":
        if not isinstance(to, bool):
            raise _Fault(f"{where}: true or false is expected")
        return to
    if fact.kind == "time":
        if not isinstance(to, str) or not _TIME.fullmatch(to):
            raise _Fault(f"{where}: a time like 14:30 is expected")
        return to
    return _members(fact, to, where)


def _members(fact: Fact, to: Json, where: str) -> tuple[str, ...]:
    members = tuple(_text(v, f"{where}[{n}]", 60) for n, v in enumerate(_list(to, where, MOST_VALUES)))
    if not members:
        raise _Fault(f"{where}: at least one value is expected")
    wrong = [m for m in members if fact.values and fact.kind == "choice" and m not in fact.values]
    if wrong:
        raise _Fault(f"{where}: “{wrong[0]}” is none of {', '.join(fact.values)}")
    if fact.code in {"country", "origin"}:
        members = tuple(m.upper() for m in members)
        if not all(re.fullmatch("[A-Z]{2}", m) for m in members):
            raise _Fault(f"{where}: two-letter country codes are expected (ISO 3166)")
    if fact.kind == "postcode":
        members = tuple(m.upper().replace(" ", "") for m in members)
        if not all(_POSTCODES.fullmatch(m) and _rising(m) for m in members):
            raise _Fault(f"{where}: beginnings or ranges of beginnings are expected, like 9500 or 9500-9980")
    return members


def _rising(pattern: str) -> bool:
    low, _, high = pattern.partition("-")
    return not high or low <= high


def _action(body: Json, where: str) -> Action:
    given = _only(body, {"set", "to"}, where)
    kind = next((known for known in ACTIONS if known == given.get("set")), None)
    if kind is None:
        raise _Fault(f"{where}.set: is none of {', '.join(ACTIONS)}")
    to, place = given.get("to"), f"{where}.to"
    if kind in _TEXTS:
        return Action(kind, _text(to, place))
    if kind == "value":
        return Action(kind, _whole(to, place))
    if kind == "split":
        split = _only(to, {"by", "most"}, place)
        if split.get("by") not in ("quantity", "weight"):
            raise _Fault(f"{place}.by: quantity or weight is expected")
        return Action(kind, Split(split["by"], _whole(split.get("most"), f"{place}.most", 1)))
    if kind == "ship_date":
        return Action(kind, _not_before(_only(to, {"working_days", "date"}, place), place))
    return Action(kind)


def _not_before(body: dict[str, Json], where: str) -> NotBefore:
    if len(body) != 1:
        raise _Fault(f"{where}: either working_days or date is expected")
    if "working_days" in body:
        days = _whole(body["working_days"], f"{where}.working_days")
        if days > 60:
            raise _Fault(f"{where}.working_days: at most 60")
        return NotBefore(working_days=days)
    try:
        return NotBefore(date=date.fromisoformat(body["date"]).isoformat())
    except (TypeError, ValueError):
        raise _Fault(f"{where}.date: a date like 2026-12-01 is expected") from None


def _rule(body: Json, where: str) -> Rule:
    given = _only(body, {"id", "name", "when", "do", "on"}, where)
    on = given.get("on", True)
    if not isinstance(on, bool):
        raise _Fault(f"{where}.on: true or false is expected")
    actions = _list(given.get("do", []), f"{where}.do", 30)
    if not actions:
        raise _Fault(f"{where}.do: at least one action is expected")
    return Rule(
        id=_text(given.get("id"), f"{where}.id", 40),
        name=_text(given.get("name"), f"{where}.name"),
        when=_Conditions().read(given.get("when", {"all": []}), f"{where}.when"),
        do=tuple(_action(a, f"{where}.do[{n}]") for n, a in enumerate(actions)),
        on=on,
    )


def read_rules(body: Json) -> tuple[Rule, ...] | BadRules:
    """Return the rules written in ``body`` (a list of objects), or every error found, up to twenty."""
    if not isinstance(body, list) or len(body) > MOST_RULES:
        return BadRules((f"rules: a list of at most {MOST_RULES} rules is expected",))
    rules: list[Rule] = []
    errors: list[str] = []
    for n, written in enumerate(body):
        try:
            rules.append(_rule(written, f"rules[{n}]"))
        except _Fault as fault:
            errors.append(str(fault))
    ids = [rule.id for rule in rules]
    errors += [f"rules: the id “{twice}” is used twice" for twice in sorted({i for i in ids if ids.count(i) > 1})]
    return BadRules(tuple(errors[:MOST_ERRORS])) if errors else tuple(rules)


def write_condition(condition: Condition) -> dict[str, Json]:
    """Return a condition in its written form."""
    match condition:
        case All(parts=parts):
            return {"all": [write_condition(p) for p in parts]}
        case Any(parts=parts):
            return {"any": [write_condition(p) for p in parts]}
        case Not(part=part):
            return {"not": write_condition(part)}
        case Test(fact=fact, test=test, to=to):
            return {"fact": fact, "test": test, "to": list(to) if isinstance(to, tuple) else to}


def _write_action(action: Action) -> dict[str, Json]:
    match action.to:
        case None:
            return {"set": action.set}
        case Split(by=by, most=most):
            return {"set": action.set, "to": {"by": by, "most": most}}
        case NotBefore(working_days=days, date=day):
            return {"set": action.set, "to": {"working_days": days} if day is None else {"date": day}}
        case to:
            return {"set": action.set, "to": to}


def write_rules(rules: Sequence[Rule]) -> list[dict[str, Json]]:
    """Return rules in their written form; reading them again gives the same rules."""
    return [
        {
            "id": r.id,
            "name": r.name,
            "on": r.on,
            "when": write_condition(r.when),
            "do": [_write_action(a) for a in r.do],
        }
        for r in rules
    ]
