"""What a price is made of: lines that add up, or a refusal with its reason."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

from tidewind.core.quantities import decimal_text, money_text, weight_text


class Line(NamedTuple):
    """One line of a price: a code, its name, the amount, the parcel (from 1; 0 for the shipment), its basis.

    ``basis`` holds the figures of the arithmetic; ``explain`` puts them into words.  A line that an exclusive
    group leaves out has amount 0 and a basis that names what it would have cost.
    """

    code: str
    name: str
    amount: int
    parcel: int
    basis: tuple[Any, ...]


@dataclass(frozen=True, slots=True)
class Quote:
    """One service's price for one shipment; ``net`` is the sum of the lines, tax comes on top."""

    service: str
    zone: str
    lines: tuple[Line, ...]
    billable_g: int
    net: int
    tax: int

    @property
    def total(self) -> int:
        """Price with tax, in minor units."""
        return self.net + self.tax


def percent_text(rate: int) -> str:
    """Write basis points as a percentage: 1550 → ``15.5 %``."""
    return f"{decimal_text(rate * 10)} %"


def explain(line: Line, currency: str = "EUR") -> str:
    """Put the arithmetic of one line into words, as a person would say it with a calculator in hand."""
    kind, *figures = line.basis
    match kind:
        case "step":
            return f"{figures[0]}, to {weight_text(figures[1])}"
        case "tail":
            zone, top, last, count, each, unit = figures
            more = f"{count} × {money_text(each, currency)} per started {weight_text(unit)}"
            return f"{zone}, {weight_text(top)} {money_text(last, currency)} + {more}"
        case "tier":
            return f"{figures[0]}, to {decimal_text(figures[1])} dm³"
        case "one_price":
            return f"{figures[0]}, one price whatever the weight"
        case "class":
            return f"{figures[0]}, size {figures[1]}"
        case "percent":
            return f"{percent_text(figures[0])} of {money_text(figures[1], currency)}"
        case "per_kg":
            return f"{figures[0]} started kg × {money_text(figures[1], currency)}"
        case "value":
            return f"{figures[0]} started {money_text(figures[2], currency)} × {money_text(figures[1], currency)}"
        case "not_counted":
            return f"{money_text(figures[0], currency)} not counted: only the dearest of “{figures[1]}” is"
        case _:
            return ""
