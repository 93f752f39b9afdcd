"""What a buyer may send back by themselves, until when, and who pays for it."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Final

REASONS: Final = ("unwanted", "damaged", "wrong", "other")
OUR_FAULT: Final = frozenset({"damaged", "wrong"})
"""For these the shop pays the way back, whatever else it has said (Directive 2011/83/EU, article 14(1), and policy)."""


@dataclass(frozen=True, slots=True)
class ReturnRules:
    """Whether buyers start returns themselves, for how many days after delivery, and what never comes back.

    ``buyer_pays``: the label is taken off the refund, unless the fault is ours.
    """

    on: bool = True
    days: int = 30
    buyer_pays: bool = False
    not_tags: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class SentLine:
    """One line of what was sent: how many of it, and the tags of its product."""

    id: int
    quantity: int
    tags: Collection[str] = ()


@dataclass(frozen=True, slots=True)
class Returnable:
    """Which lines may come back and until which day, itself included; no lines where nothing may, and why."""

    lines: tuple[int, ...] = ()
    until: date | None = None
    why_not: str = ""


def returnable(lines: Sequence[SentLine], delivered_on: date | None, today: date, rules: ReturnRules) -> Returnable:
    """Return what may come back.  The day of delivery does not count (Regulation (EEC) 1182/71, article 3(1))."""
    if not rules.on:
        return Returnable(why_not="returns are asked for by mail")
    if delivered_on is None:
        return Returnable(why_not="it is not delivered yet")
    until = delivered_on + timedelta(days=rules.days)
    if today > until:
        return Returnable(until=until, why_not="the time for it is over")
    allowed = tuple(line.id for line in lines if not rules.not_tags.intersection(line.tags))
    return Returnable(allowed, until, "" if allowed else "none of its products is taken back")


def buyer_pays(reason: str, rules: ReturnRules) -> bool:
    """Tell whether the buyer pays the way back."""
    return rules.buyer_pays and reason not in OUR_FAULT
