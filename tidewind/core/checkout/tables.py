"""Rate tables: destinations by bands of weight, value, items or volume; which row a basket meets, and what is wrong."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Literal

from tidewind.core.checkout.matching import RowIndex
from tidewind.core.checkout.reach import Reach, patterns_in
from tidewind.core.quantities import money_text, volume_text, weight_text
from tidewind.core.tariffs.zones import bounds_of, plain_postcode

By = Literal["weight_g", "value", "items", "volume_cm3"]
MEASURES: dict[By, str] = {"weight_g": "weight", "value": "value", "items": "number of items", "volume_cm3": "volume"}


def amount_text(by: By, amount: int, currency: str) -> str:
    """Write an amount of a measure for words: grams, minor units, pieces or cubic centimetres."""
    match by:
        case "weight_g":
            return weight_text(amount)
        case "value":
            return money_text(amount, currency)
        case "volume_cm3":
            return volume_text(amount)
        case _:
            return f"{amount:,}"


@dataclass(frozen=True, slots=True)
class TableRow:
    """Where a row holds, what people call it, and a price for each band in minor units (None: nothing is offered)."""

    reach: Reach
    prices: tuple[int | None, ...]
    name: str = ""


@dataclass(frozen=True, slots=True)
class RateTable:
    """Rows, and the upper ends of the bands, each belonging to its band, all ``by`` one measure.

    Rows are tried from the top, or the ``narrowest`` first, those that are as narrow from the top.
    """

    code: str
    name: str
    by: By
    bands: tuple[int, ...]
    rows: tuple[TableRow, ...]
    narrowest: bool = False
    index: RowIndex = field(init=False, compare=False, repr=False)
    _tried: tuple[int, ...] = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        """Prepare the rows for being looked up."""
        tried = list(range(len(self.rows)))
        if self.narrowest:
            tried.sort(key=lambda n: tuple(-int(part) for part in self.rows[n].reach.narrowness))
        object.__setattr__(self, "_tried", tuple(tried))
        object.__setattr__(self, "index", RowIndex([self.rows[n].reach for n in tried]))

    def row_for(self, country: str, postcode: str, region: str = "") -> int | None:
        """Return the place of the first row that holds for a destination, None where none does."""
        found = self.index.first(country, postcode, region)
        return None if found is None else self._tried[found]

    def parts(self, country: str) -> bool:
        """Tell whether rows part a country by postcode or region, so that half an address may meet the wrong one."""
        return any(
            row.reach.regions
            or patterns_in(row.reach.postcodes, country)
            or patterns_in(row.reach.not_postcodes, country)
            for row in self.rows
            if country not in row.reach.not_countries and (not row.reach.countries or country in row.reach.countries)
        )

    def hiding(self, row: int) -> list[int]:
        """Return the rows that are tried before one and take everything that it names."""
        return sorted(self._tried[n] for n in self.index.hiding(self._tried.index(row)))

    def band_for(self, amount: int) -> int | None:
        """Return the place of the band an amount lies in (its upper end belongs to it), None above all of them."""
        at = bisect_left(self.bands, amount)
        return at if at < len(self.bands) else None


@dataclass(frozen=True, slots=True)
class Fault:
    """Something wrong with a table: at which row and band (None: the whole of it), and what, in words."""

    row: int | None
    band: int | None
    words: str


def faults_of(table: RateTable) -> list[Fault]:
    """Return what is wrong with a table: no bands, rows never reached, prices that fall, holes, ranges left between."""
    found = []
    if not table.bands:
        found.append(Fault(None, None, "it has no band"))
    for n, (one, other) in enumerate(pairwise(table.bands)):
        if other <= one:
            found.append(Fault(None, n + 1, "a band must end after the one before it"))
    for n, row in enumerate(table.rows):
        if hiding := table.hiding(n):
            above = ", ".join(str(m + 1) for m in hiding[:4])
            words = f"row {above} takes" if len(hiding) == 1 else f"rows {above} take"
            found.append(Fault(n, None, f"{words} everything above, so this row is never reached"))
        found += _prices(n, row.prices)
    return found + _between(table.rows)


def _prices(n: int, prices: Sequence[int | None]) -> list[Fault]:
    found, before = [], None
    for band, price in enumerate(prices):
        if price is None:
            found.append(Fault(n, band, "nobody is offered anything here"))
        elif before is not None and price < before:
            found.append(Fault(n, band, "cheaper than the band before it"))
        before = price if price is not None else before
    return found


def _between(rows: Sequence[TableRow]) -> list[Fault]:
    """Return the ranges of postcodes that lie between those of one country's rows, and in no row."""
    countries = {code for row in rows for code in row.reach.countries}
    whole = {code for code in countries if any(_whole(row.reach, code) for row in rows)}
    found = []
    for code in sorted(countries - whole):
        ranges = sorted(
            (bounds_of(pattern), n)
            for n, row in enumerate(rows)
            if code in row.reach.countries
            for pattern in patterns_in(row.reach.postcodes, code)
        )
        for ((_, high), _), ((low, _), n) in pairwise(ranges):
            if len(high) == len(low) and high.isdigit() and low.isdigit() and int(low) - int(high) > 1:
                first, last = int(high) + 1, int(low) - 1
                size = len(low)
                gap = f"{first:0{size}}" if first == last else f"{first:0{size}} to {last:0{size}}"
                found.append(Fault(n, None, f"nobody in {code} {gap} is offered anything"))
            elif plain_postcode(low) <= high and len(low) == len(high):
                found.append(Fault(n, None, f"{low} in {code} is in two rows; the upper one counts"))
    return found


def _whole(reach: Reach, country: str) -> bool:
    return not reach.postcodes and not reach.regions and (not reach.countries or country in reach.countries)
