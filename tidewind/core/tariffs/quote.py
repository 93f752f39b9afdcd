"""What a price is made of: lines that add up, or a refusal with its reason."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from tidewind.core.quantities import decimal_text, money_text, weight_text

Basis = tuple[Any, ...]
"""The kind of arithmetic and its figures, which ``explain`` puts into words."""


class Line(NamedTuple):
    """One line of a price: a code, its name, the amount, the parcel (from 1; 0 for the shipment), its basis.

    ``basis`` holds the figures of the arithmetic; ``explain`` puts them into words.  A line that an exclusive
    group leaves out has amount 0 and a basis that names what it would have cost.
    """

    code: str
    name: str
    amount: int
    parcel: int
    basis: Basis


class Quote(NamedTuple):
    """One service's price for one shipment; ``net`` is the sum of the lines, tax comes on top.

    ``account`` is the number of the account with the carrier that it is the price on; empty for published prices.
    """

    service: str
    zone: str
    lines: tuple[Line, ...]
    billable_g: int
    net: int
    tax: int
    currency: str
    account: str = ""

    @property
    def total(self) -> int:
        """Price with tax, in minor units."""
        return self.net + self.tax


def percent_text(rate: int) -> str:
    """Write basis points as a percentage: 1550 → ``15.5 %``."""
    return f"{decimal_text(rate * 10)} %"


def explain(line: Line, currency: str) -> str:
    """Put the arithmetic of one line into words, as a person would say it with a calculator in hand."""
    return words_of(line.basis, currency)


def words_of(basis: Basis, currency: str) -> str:
    """Put one piece of arithmetic into words; empty where the amount says it all."""
    kind, *figures = basis
    return _WORDS[kind](currency, *figures) if kind in _WORDS else ""


def _tail(currency: str, zone: str, top: int, last: int, count: int, each: int, unit: int) -> str:
    more = f"{count} × {money_text(each, currency)} per started {weight_text(unit)}"
    return f"{zone}, {weight_text(top)} {money_text(last, currency)} + {more}"


_WORDS: dict[str, Callable[..., str]] = {
    "step": lambda _c, zone, bound: f"{zone}, to {weight_text(bound)}",
    "tail": _tail,
    "tier": lambda _c, zone, bound: f"{zone}, to {decimal_text(bound)} dm³",
    "one_price": lambda _c, zone: f"{zone}, one price whatever the weight",
    "class": lambda _c, zone, code: f"{zone}, size {code}",
    "percent": lambda c, rate, base: f"{percent_text(rate)} of {money_text(base, c)}",
    "at_least": lambda c, basis, least: f"{words_of(basis, c)}, at least {money_text(least, c)}",
    "at_most": lambda c, basis, most: f"{words_of(basis, c)}, at most {money_text(most, c)}",
    "minimum_charge": lambda c, rate, least: (
        f"{percent_text(rate)}, but the base is never under {money_text(least, c)}"
    ),
    "together": lambda c, count, basis: f"{count} parcels weighed together: {words_of(basis, c)}",
    "per_kg": lambda c, count, each: f"{count} started kg × {money_text(each, c)}",
    "value": lambda c, count, each, step: f"{count} started {money_text(step, c)} × {money_text(each, c)}",
    "not_counted": lambda c, price, group: f"{money_text(price, c)} not counted: only the dearest of “{group}” is",
    "told": lambda _c, words: words,
}
"""Words for each kind of arithmetic, from the currency and the figures; ``told``: an outside answer's own words."""
