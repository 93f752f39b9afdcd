"""Rate tables: destinations by bands of weight, value, items or volume; which row a basket meets, and what is wrong."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Literal

from tidewind.core.checkout.matching import RowIndex
from tidewind.core.checkout.reach import Reach, patterns_in
from tidewind.core.tariffs.zones import bounds_of, plain_postcode

By = Literal["weight_g", "value", "items", "volume_cm3"]
MEASURES: dict[By, str] = {"weight_g": "weight", "value": "value", "items": "items", "volume_cm3": "volume"}


@dataclass(frozen=True, slots=True)
class TableRow:
    """Where a row holds, what people call it, and a price for each band in minor units (None: nothing is offered)."""

    reach: Reach
    prices: tuple[int | None, ...]
    name: str = ""


@dataclass(frozen=True, slots=True)
class RateTable:
    """Rows, tried from the top, and the upper ends of the bands, each belonging to its band, all ``by`` one measure."""

    code: str
    name: str
    by: By
    bands: tuple[int, ...]
    rows: tuple[TableRow, ...]
    index: RowIndex = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        """Prepare the rows for being looked up."""
        object.__setattr__(self, "index", RowIndex([row.reach for row in self.rows]))

    def row_for(self, country: str, postcode: str, region: str = "") -> int | None:
        """Return the place of the first row that holds for a destination, None where none does."""
        return self.index.first(country, postcode, region)

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


def most_specific_first(table: RateTable) -> RateTable:
    """Return a table whose narrowest rows stand on top; rows that are as narrow keep their order."""
    rows = sorted(table.rows, key=lambda row: tuple(-int(part) for part in row.reach.narrowness))
    return replace(table, rows=tuple(rows))


def faults_of(table: RateTable) -> list[Fault]:
    """Return what is wrong with a table: no bands, rows never reached, prices that fall, holes, ranges left between."""
    found = []
    if not table.bands:
        found.append(Fault(None, None, "it has no band"))
    for n, (one, other) in enumerate(pairwise(table.bands)):
        if other <= one:
            found.append(Fault(None, n + 1, "a band must end after the one before it"))
    for n, row in enumerate(table.rows):
        if hiding := table.index.hiding(n):
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
