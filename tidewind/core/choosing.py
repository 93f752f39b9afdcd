"""Choosing among offerable services: policies, and the price–arrival frontier."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum


class Policy(StrEnum):
    """How the shop picks a service; each formula is written in ``pick``."""

    CHEAPEST = "cheapest"
    FASTEST = "fastest"
    BALANCED = "balanced"
    CHEAPEST_ON_PROMISE = "cheapest_on_promise"
    RANKING = "ranking"


FORMULAS = {
    Policy.CHEAPEST: "the lowest price; of equals the earlier",
    Policy.FASTEST: "the earliest latest day; of equals the cheaper",
    Policy.BALANCED: "the least of price + value of a day × days after the fastest + cost of lateness × share late",
    Policy.CHEAPEST_ON_PROMISE: "the cheapest that arrives by the promised day; where none does, the fastest",
    Policy.RANKING: "the first of the own ranking that takes it; where none does, the cheapest",
}
"""Each policy in words, as people read it where they choose one."""


@dataclass(frozen=True, slots=True)
class Choosable:
    """What choosing looks at: a key, the price (minor units), the latest arrival day, the share of late parcels."""

    key: str
    price: int
    arrives: date
    late_bp: int = 0


@dataclass(frozen=True, slots=True)
class Values:
    """What the shop says time is worth, in minor units: one day sooner, and one late parcel."""

    day: int = 40
    late: int = 250


def value_hundredths(option: Choosable, fastest: date, values: Values) -> int:
    """Return price + day value × days after the fastest + late value × share late, in 1/10,000 of a minor unit."""
    days = (option.arrives - fastest).days
    return (option.price + values.day * days) * 10_000 + values.late * option.late_bp


def pick(
    options: Sequence[Choosable],
    policy: Policy,
    promise: date | None = None,
    values: Values | None = None,
    ranking: Sequence[str] = (),
) -> Choosable | None:
    """Return the option a policy picks, or None from an empty list.

    Cheapest: least price, then earlier arrival.  Fastest: earliest arrival, then least price.  Balanced: least
    ``value_hundredths``.  Cheapest on promise: cheapest of those arriving by the promised day; where none does,
    the fastest.  Ranking: the first in ``ranking``; where none is in it, the cheapest.  The key decides a tie, so that
    the answer never depends on the order of the list.
    """
    if not options:
        return None
    cheap = lambda o: (o.price, o.arrives, o.key)  # noqa: E731 - a named key reads better than three lambdas
    quick = lambda o: (o.arrives, o.price, o.key)  # noqa: E731
    if policy is Policy.FASTEST:
        return min(options, key=quick)
    if policy is Policy.BALANCED:
        fastest = min(o.arrives for o in options)
        return min(options, key=lambda o: (value_hundredths(o, fastest, values or Values()), o.key))
    if policy is Policy.CHEAPEST_ON_PROMISE and promise is not None:
        in_time = [o for o in options if o.arrives <= promise]
        return min(in_time, key=cheap) if in_time else min(options, key=quick)
    if policy is Policy.RANKING:
        place = {key: n for n, key in reversed(list(enumerate(ranking)))}
        ranked = [o for o in options if o.key in place]
        if ranked:
            return min(ranked, key=lambda o: place[o.key])
    return min(options, key=cheap)


def frontier(options: Sequence[Choosable]) -> frozenset[str]:
    """Return the keys of the options that nothing beats: no other is as cheap and as early, and better in one."""
    best: list[Choosable] = []
    for option in sorted(options, key=lambda o: (o.price, o.arrives, o.key)):
        if all(other.arrives > option.arrives for other in best):
            best.append(option)
    return frozenset(o.key for o in best)
