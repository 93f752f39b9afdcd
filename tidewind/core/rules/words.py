"""Rules as sentences, with both readings of every bound: what just matches, and what just does not."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from tidewind.core.addresses.countries import country_name
from tidewind.core.quantities import length_text, money_text, spoken, volume_text, weight_text
from tidewind.core.rules.conditions import All, Any, Condition, Not, Test
from tidewind.core.rules.facts import CATALOGUE, NUMBERS, Kind
from tidewind.core.rules.rule import ACTIONS, Action, NotBefore, Split

_NAMES = {
    "same_region": "the same region", "country": "the rest of the country", "islands": "islands",
    "neighbours": "neighbour countries", "world": "the rest of the world", "paid": "paid",
    "pay_on_delivery": "pay on delivery", "unpaid": "unpaid", "home": "a home", "business": "a business",
    "mon": "Monday", "tue": "Tuesday", "wed": "Wednesday", "thu": "Thursday", "fri": "Friday", "sat": "Saturday",
    "sun": "Sunday", "limited_quantity": "limited quantities", "dry_ice": "dry ice", "dangerous": "dangerous goods",
}  # fmt: skip
_SET = {
    "includes_any": "include",
    "includes_all": "include all of",
    "includes_none": "include none of",
    "includes_only": "are only",
}
_TEXT = {
    "is": "is",
    "is_not": "is not",
    "contains": "contains",
    "contains_not": "does not contain",
    "starts_with": "starts with",
}
Names = Mapping[str, str]


def _in_unit(kind: Kind, currency: str) -> Callable[[int], str]:
    ways: dict[str, Callable[[int], str]] = {
        "money": lambda n: money_text(n, currency),
        "weight": lambda n: f"{n:,} g" if n < 10_000 and spoken() == "metric" else weight_text(n),
        "length": length_text,
        "volume": volume_text,
        "count": str,
    }
    return ways[kind]


def _next(to: int, step: int, say: Callable[[int], str]) -> int:
    """Return the nearest number above or below that is said otherwise: a gram is no hundredth of a pound."""
    number = to + step
    while number >= 0 and say(number) == say(to):
        number += step
    return number


def _bound(test: Test, say: Callable[[int], str]) -> str:
    if isinstance(test.to, tuple):
        low, high = (int(end) for end in test.to)
        return f"is from {say(low)} to {say(high)} (both {say(low)} and {say(high)} match)"
    to = int(test.to)
    more, less = _next(to, 1, say), _next(to, -1, say)
    words, matches, fails = {
        "more_than": ("is more than {}", more, to),
        "at_least": ("is {} or more", to, less),
        "less_than": ("is less than {}", less, to),
        "at_most": ("is {} or less", to, more),
        "equals": ("is exactly {}", to, more),
    }[test.test]
    shown = words.format(say(to))
    if min(matches, fails) < 0:
        return shown
    return f"{shown} ({say(matches)} matches, {say(fails)} does not)"


def _members(test: Test, names: Names) -> str:
    assert isinstance(test.to, tuple)  # noqa: S101 - the reader made it so
    nations = test.fact in {"country", "origin"}
    shown = [country_name(str(m)) if nations else names.get(str(m)) or _NAMES.get(str(m), str(m)) for m in test.to]
    return shown[0] if len(shown) == 1 else f"{', '.join(shown[:-1])} or {shown[-1]}"


def _test_words(test: Test, currency: str, names: Names) -> str:
    fact = CATALOGUE[test.fact]
    if fact.kind in NUMBERS:
        return f"{fact.words} {_bound(test, _in_unit(fact.kind, currency))}"
    if fact.kind == "flag":
        return fact.words if test.to else f"it is not so that {fact.words}"
    if fact.kind == "text":
        return f"{fact.words} {_TEXT[test.test]} “{test.to}”"
    if fact.kind == "time":
        return f"{fact.words} is {test.to} or later" if test.test == "from" else f"{fact.words} is before {test.to}"
    if fact.kind == "set":
        return f"{fact.words} {_SET[test.test]} {_members(test, names)}"
    verb = "is not" if test.test in {"is_none_of", "is_not_in"} else "is"
    return f"{fact.words} {verb} {_members(test, names)}"


def condition_words(condition: Condition, currency: str, names: Names | None = None, inner: bool = False) -> str:
    """Return a condition as part of a sentence; ``names`` turns codes (channels, SKUs) into what people call them."""
    known = names or {}
    match condition:
        case Test():
            return _test_words(condition, currency, known)
        case Not(part=part):
            return f"not ({condition_words(part, currency, known)})"
        case All(parts=()):
            return "every order"
        case All(parts=parts) | Any(parts=parts):
            joined = " and " if isinstance(condition, All) else " or "
            text = joined.join(condition_words(p, currency, known, True) for p in parts)
            return f"({text})" if inner and len(parts) > 1 else text


def action_words(action: Action, currency: str, names: Names | None = None) -> str:
    """Return an action in words, by the names of services, recipes and packaging, never by bare codes."""
    verb, to = ACTIONS[action.set], action.to
    match to:
        case None:
            return verb
        case Split(by="quantity", most=most):
            return f"{verb} {most} {'item' if most == 1 else 'items'}"
        case Split(most=most):
            return f"{verb} {weight_text(most)} of goods"
        case NotBefore(working_days=days, date=None):
            return f"{verb} {days} working {'day' if days == 1 else 'days'} after it was ordered"
        case NotBefore(date=day):
            return f"{verb} {day}"
        case int():
            return f"{verb} {money_text(to, currency)}"
    return f"{verb} {(names or {}).get(str(to), str(to))}"
