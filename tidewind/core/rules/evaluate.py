"""Run rules over one order, once, from top to bottom; a later rule overrides an earlier one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from tidewind.core.calendar import add_working_days
from tidewind.core.layers import RULE, Step, Wishes
from tidewind.core.rules.facts import Facts
from tidewind.core.rules.rule import Action, NotBefore, Rule, Split

LABELS = frozenset({"tag", "desk"})
"""Actions that move neither parcels nor price."""


Held = list[tuple[int, Rule]]
"""Rules that hold for an order, each with its number in the list."""


def holding(rules: Sequence[Rule], facts: Facts) -> Held:
    """Return the rules that hold, each with its number in the list, down to the first that stops there."""
    found = []
    for number, rule in enumerate(rules, 1):
        if rule.on and rule.holds(facts) is True:
            found.append((number, rule))
            if rule.stops:
                break
    return found


def apply_rules(held: Held, wishes: Wishes, ordered_on: date, place: str) -> list[str]:
    """Apply the rules that hold to ``wishes`` and return their ids.

    Facts are taken once, before the first rule; no rule is run a second time (shop policy: one pass).
    ``ordered_on`` and ``place`` (of the shop, as the calendar has it) give ship dates in working days.
    """
    for number, rule in held:
        why = why_of(number, rule)
        for action in rule.does:
            _do(action, wishes, why, ordered_on, place)
        if rule.stops:
            wishes.note("rules", RULE, "stopped here", why)
    return [rule.id for _, rule in held]


def why_of(number: int, rule: Rule) -> str:
    """Return how the trail names a rule."""
    return f"rule {number}, {rule.name}"


def _do(action: Action, wishes: Wishes, why: str, ordered_on: date, place: str) -> None:
    match action.to:
        case str() as text:  # most of all, so it is asked for first
            _set_text(action, text, wishes, why)
        case Split() as split:
            wishes.split = split
            unit = "items" if split.by == "quantity" else "g of goods"
            wishes.note("split", RULE, f"at most {split.most} {unit} in a parcel", why)
        case NotBefore() as wanted:
            wishes.not_before = _day(wanted, ordered_on, place)
            wishes.note("ship_date", RULE, f"not before {wishes.not_before.isoformat()}", why)
        case int() as value:
            wishes.value = value
            wishes.note("value", RULE, str(value), why)


def _day(wanted: NotBefore, ordered_on: date, place: str) -> date:
    if wanted.date is not None:
        return date.fromisoformat(wanted.date)
    return add_working_days(ordered_on, wanted.working_days or 0, place)


def _set_text(action: Action, text: str, wishes: Wishes, why: str) -> None:
    match action.set:
        case "recipe":
            wishes.use(RULE, text, why)
        case "service" | "packaging":
            wishes.wish(action.set, RULE, text, why)
        case "add_extra":
            wishes.add_extra(RULE, text, why)
        case "remove_extra":
            wishes.remove_extra(RULE, text, why)
        case "tag":
            wishes.tags.add(text)
            wishes.note("tags", RULE, text, why)
        case "desk" | "hold" | "leave_out" | "approval":
            setattr(wishes, action.set, text)
            wishes.note(action.set, RULE, text, why)


@dataclass(frozen=True, slots=True)
class Labels:
    """What rules write on an order that moves neither parcels nor price: tags and the desk, with their trail."""

    rules: tuple[str, ...]
    tags: frozenset[str]
    desk: str
    trail: Mapping[str, Sequence[Step]]


def labels_of(held: Sequence[tuple[int, Rule]]) -> Labels:
    """Return the labels that rules give which hold for an order."""
    wishes = Wishes({}, {})
    for number, rule in held:
        for action in rule.does:
            if action.set in LABELS:
                _set_text(action, str(action.to), wishes, why_of(number, rule))
    return Labels(tuple(rule.id for _, rule in held), frozenset(wishes.tags), wishes.desk, wishes.trail)
