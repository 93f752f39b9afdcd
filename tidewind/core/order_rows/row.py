"""One row of a spreadsheet under its mapping: cells read as what their columns hold, and what is wrong with them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import lru_cache

from tidewind.core.addresses.check import tidy
from tidewind.core.order_limits import MOST_PIECES, storable
from tidewind.core.order_rows.columns import unit_named
from tidewind.core.order_rows.days import DayOrder, TwoDays, read_day
from tidewind.core.order_rows.figures import (
    CURRENCIES,
    TooLarge,
    Units,
    currencies_in,
    is_shortened,
    read_money,
    read_weight,
)


@dataclass(frozen=True, slots=True)
class RowFault:
    """What is wrong with one row: its number in the file (from 1), the field, and words."""

    row: int
    field: str
    words: str


@lru_cache(maxsize=65_536)
def _tidied(cell: str) -> str:
    """Return a cell in one line; most cells of a long file say what another one says, too."""
    return tidy(storable(cell))


_PIECES = re.compile(r"^(?:(\d+) ?(?:x|×|pcs?|pieces?|st|stk|stück|pz|uds?|un|szt|ks)\.?|[x×] ?(\d+))$", re.IGNORECASE)
"""A number of pieces with its word: “2 pcs”, “3x”, “x3”."""
_amount = lru_cache(maxsize=16_384)(read_money)


class Row:
    """One row with its mapping; reads cells and collects faults."""

    def __init__(self, number: int, cells: Sequence[str], columns: Mapping[str, int], units: Units) -> None:
        self.number, self.cells, self.columns, self.units = number, cells, columns, units
        self.faults: list[RowFault] = []
        self.heading_currency = ""
        self._currency: tuple[str, str] | None = None
        # Read once: of a long file each answer asks for every field several times.
        self._texts = {name: _tidied(cells[at]) for name, at in columns.items() if at < len(cells)}

    def raw(self, name: str) -> str:
        """Return a cell as it stands, empty where no column holds the field."""
        index = self.columns.get(name)
        return storable(self.cells[index]) if index is not None and index < len(self.cells) else ""

    def text(self, name: str) -> str:
        """Return a cell in one line, without blanks around it."""
        return self._texts.get(name, "")

    def fail(self, name: str, words: str) -> None:
        """Say what is wrong with a field of this row."""
        self.faults.append(RowFault(self.number, name, words))

    def whole(self, name: str, most: int) -> str:
        """Return an identifier that must not be cut, nor be one that a spreadsheet has shortened."""
        text = self.text(name)
        if len(text) > most:
            words = f"{field_words(name)} has {len(text):,} characters; at most {most} fit"
            self.fail(name, f"{words}, cut it would be another")
        elif is_shortened(text):
            self.fail(name, f"“{text:.30}” was shortened by a spreadsheet; format that column as text and save again")
        return text

    def money(self, name: str) -> int:
        """Return an amount in minor units of the row's currency; another than the shop's must have been accepted.

        Nothing is converted.
        """
        text, (currency, doubt) = self.text(name), self.currency()
        if text and doubt:
            self.fail(name, f"“{text:.40}” {doubt}")
            return 0
        if text and currency and self.units.states.get(currency.casefold()) != "open":
            words = f"“{text:.40}” is in {currency:.20}, the shop's prices are in {self.units.currency}"
            known = currency in CURRENCIES
            self.fail(
                name, f"{words}; {'say above whether such orders are imported' if known else 'nothing is converted'}"
            )
            return 0
        try:
            return _amount(text, currency or self.units.currency, self.units.decimal)
        except TooLarge as error:
            self.fail(name, f"“{self.text(name):.40}”: {error}")
        except ValueError:
            self.fail(name, f"“{self.text(name):.40}” is no price; write it like 4.90, or say the decimal sign")
        return 0

    def currency(self) -> tuple[str, str]:
        """Return in which currency the row is, empty for the shop's, and why that is not sure, empty where it is.

        Amounts, the row's own column and the heading say it, by code or by a sign that can be of several: what all of
        them allow.
        """
        if self._currency is None:
            said = [found for text in self._amounts() if (found := currencies_in(text)) is not None]
            named = self.text("currency") or self.heading_currency
            if named:
                said.append(currencies_in(named) or frozenset({named.upper()}))
            self._currency = self._of_these(said)
        return self._currency

    def _of_these(self, said: Sequence[frozenset[str]]) -> tuple[str, str]:
        if not said:
            return "", ""
        possible = frozenset.intersection(*said)
        if self.units.currency in possible:
            return "", ""
        if len(possible) == 1:
            return next(iter(possible)), ""
        several = f"can be in {', '.join(sorted(possible)[:3])} or others; add a column with the currency’s code"
        return "", several if possible else "is in another currency than its row or its heading says"

    def names_amount(self) -> bool:
        """Tell whether the row says any amount."""
        return bool(self._amounts())

    def _amounts(self) -> list[str]:
        """Return what the row says of money; nothing, and nothing in any currency, says none."""
        texts = (self.text(name) for name in ("unit_price", "line_total", "paid_shipping"))
        return [text for text in texts if any("1" <= ch <= "9" for ch in text)]

    def weight(self, header_unit: str) -> int | None:
        """Return grams, by the unit of the cell, its own column or the heading; None where nothing is said."""
        written, named = self.text("weight_g"), self.text("weight_unit")
        unit = unit_named(named) if named else header_unit or self.units.weight
        if not unit and named:
            self.fail("weight_unit", f"“{named:.20}” is no unit of weight; g, kg, lb and oz are")
            return None
        if not unit and written and not written[-1].isalpha():
            self.fail("weight_g", f"“{written:.20}” names no unit; say above in which unit weights are")
            return None
        try:
            return read_weight(written, unit or "g")
        except ValueError:
            self.fail("weight_g", f"“{written:.40}” is no weight; write it like 250 or 0.25 kg")
            return None

    def unit_price(self) -> int:
        """Return the price of a piece: as it is written, else the line's total shared by its pieces."""
        if self.text("unit_price") or not self.text("line_total"):
            return self.money("unit_price")
        whole, pieces = self.money("line_total"), self.quantity()
        if pieces and whole % pieces:
            words = f"“{self.text('line_total'):.40}” for {pieces} pieces makes no whole price of one"
            self.fail("line_total", f"{words}; add a column with the unit price")
        return whole // pieces if pieces else 0

    def to_send(self) -> int:
        """Return how many pieces are left to send: as is said, or what was ordered less what went or was refunded."""
        ordered, left = self.quantity(), self.text("quantity_open")
        if left:
            if not left.isdigit() or not 0 < int(left) <= ordered:
                self.fail("quantity_open", f"{left:.20} of {ordered} pieces cannot be left to send")
                return 0
            return int(left)
        for name, words in (("quantity_sent", "were sent already"), ("quantity_refunded", "were refunded")):
            gone = self.text(name)
            if gone in {"", "0"} or not ordered:
                continue
            if not gone.isdigit() or int(gone) >= ordered:
                self.fail(name, f"{gone:.20} of {ordered} pieces {words}; nothing is left to send")
                return 0
            ordered -= int(gone)
        return ordered

    def day(self, name: str, order: DayOrder, *, matters: bool) -> date | None:
        """Return the day in a cell; what is none, or can be two, is a fault where it matters."""
        text = self.text(name)
        try:
            return read_day(text, order)
        except TwoDays:
            words = f"“{text:.30}” can be two days; say above whether the day or the month comes first"
        except ValueError:
            words = f"“{text:.30}” is no day; write it like 2026-12-04"
        if matters:
            self.fail(name, words)
        return None

    def quantity(self) -> int:
        """Return how many pieces were ordered; 0 with a fault for what is no such number."""
        text = self.text("quantity").removesuffix(".0").removesuffix(",0").removesuffix(".00").removesuffix(",00")
        if worded := _PIECES.match(text):
            text = worded[1] or worded[2]
        if not (text.isascii() and text.isdigit() and len(text) < 10 and 1 <= int(text) <= MOST_PIECES):
            self.fail("quantity", f"“{text:.40}” is no quantity; a whole number from 1 to {MOST_PIECES:,} is expected")
            return 0
        return int(text)


def field_words(name: str) -> str:
    """Return a field's name as people read it."""
    return name.replace("_", " ")
