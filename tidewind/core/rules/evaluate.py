"""Run rules over one order, once, from top to bottom; a later rule overrides an earlier one."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from tidewind.core.calendar import add_working_days
from tidewind.core.layers import RULE, Wishes
from tidewind.core.rules.facts import Facts
from tidewind.core.rules.rule import Action, NotBefore, Rule, Split


def evaluate(rules: Sequence[Rule], facts: Facts, wishes: Wishes, ordered_on: date, place: str) -> list[str]:
    """Apply every rule that holds to ``wishes`` and return the ids of those that did.

    Facts are taken once, before the first rule; no rule is run a second time (shop policy: one pass).
    ``ordered_on`` and ``place`` (of the shop, as the calendar has it) give ship dates in working days.
    """
    applied = []
    for number, rule in enumerate(rules, 1):
        if not rule.on or rule.holds(facts) is not True:
            continue
        applied.append(rule.id)
        why = f"rule {number}, {rule.name}"
        for action in rule.do:
            if action.set == "stop":
                wishes.note("rules", RULE, "stopped here", why)
                return applied
            _do(action, wishes, why, ordered_on, place)
    return applied


def _do(action: Action, wishes: Wishes, why: str, ordered_on: date, place: str) -> None:
    match action.to:
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
        case str() as text:
            _set_text(action, text, wishes, why)


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
