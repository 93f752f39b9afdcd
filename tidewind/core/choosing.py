"""Choosing among offerable services: policies, and the price–arrival frontier."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
_NEVER = np.iinfo(np.int64).max


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


def pick_by_columns(
    usable: Flags,
    price: Ints,
    arrives: Ints,
    late_bp: Ints,
    keys: Sequence[str],
    policy: Policy,
    promises: Sequence[date | None],
    values: Values,
    ranking: Sequence[str] = (),
) -> Ints:
    """Return what ``pick`` picks in each row of orders × services: the number of the service, -1 where none is usable.

    ``price`` (minor units) and ``arrives`` (proleptic ordinals of days) count where ``usable``; ``late_bp`` and
    ``keys`` are the services'.
    """
    if not keys:  # a shop that has no carrier yet, or no more
        return np.full(len(price), -1)
    by_key = np.argsort(np.argsort(np.array(keys, object)))[np.newaxis]
    cheap = (price, arrives, by_key)
    if policy is Policy.FASTEST:
        left = _least(usable, arrives, price, by_key)
    elif policy is Policy.BALANCED:
        days = arrives - np.where(usable, arrives, _NEVER).min(axis=1, keepdims=True, initial=_NEVER)
        worth = (price + values.day * days) * 10_000 + values.late * late_bp
        left = _least(usable, worth, by_key)
    elif policy is Policy.CHEAPEST_ON_PROMISE:
        by = np.array([day.toordinal() if day else _NEVER for day in promises], np.int64)[:, np.newaxis]
        in_time = usable & (arrives <= by)
        left = np.where(in_time.any(axis=1, keepdims=True), _least(in_time, *cheap), _least(usable, arrives, *cheap))
    elif policy is Policy.RANKING:
        place = {key: n for n, key in reversed(list(enumerate(ranking)))}
        places = np.array([place.get(key, _NEVER) for key in keys], np.int64)[np.newaxis]
        ranked = usable & (places < _NEVER)
        left = np.where(ranked.any(axis=1, keepdims=True), _least(ranked, places), _least(usable, *cheap))
    else:
        left = _least(usable, *cheap)
    return np.where(left.any(axis=1), left.argmax(axis=1), -1)


def _least(among: Flags, *figures: Ints) -> Flags:
    """Return those of each row that are least by the first figure, of equals by the next, and so on."""
    for figure in figures:
        found = np.where(among, figure, _NEVER)
        among = among & (found == found.min(axis=1, keepdims=True, initial=_NEVER))
    return among


def frontier(options: Sequence[Choosable]) -> frozenset[str]:
    """Return the keys of the options that nothing beats: no other is as cheap and as early, and better in one."""
    best: list[Choosable] = []
    for option in sorted(options, key=lambda o: (o.price, o.arrives, o.key)):
        if all(other.arrives > option.arrives for other in best):
            best.append(option)
    return frozenset(o.key for o in best)
