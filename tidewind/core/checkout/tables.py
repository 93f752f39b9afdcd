"""Rate tables: destinations by bands of weight, value, items or volume; which row a basket meets, and what is wrong."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Literal

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
    """Rows, tried from the top, and the upper ends of the bands, each belonging to its band; measured ``by`` one thing.

    ``_plain`` are the countries that rows name, each with the places of its rows, so that a long table is not read
    from its top for every basket.
    """

    code: str
    name: str
    by: By
    bands: tuple[int, ...]
    rows: tuple[TableRow, ...]
    _plain: dict[str, tuple[int, ...]] = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        """Sort the rows by the countries they can hold for."""
        countries = {code for row in self.rows for code in row.reach.countries}
        places = {
            code: tuple(n for n, row in enumerate(self.rows) if not row.reach.countries or code in row.reach.countries)
            for code in countries
        }
        places[""] = tuple(n for n, row in enumerate(self.rows) if not row.reach.countries)
        object.__setattr__(self, "_plain", places)

    def row_for(self, country: str, postcode: str, region: str = "") -> int | None:
        """Return the place of the first row that holds for a destination, None where none does."""
        places = self._plain.get(country, self._plain[""])
        return next((n for n in places if self.rows[n].reach.holds(country, postcode, region)), None)

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
        hiding = next((m for m in range(n) if _covers(table.rows[m].reach, row.reach)), None)
        if hiding is not None:
            found.append(Fault(n, None, f"row {hiding + 1} above takes everything, so this row is never reached"))
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


def _covers(wide: Reach, narrow: Reach) -> bool:
    """Tell whether everything in one reach lies in another that stands above it; where unsure, it does not."""
    left_out = wide.not_countries & narrow.countries if narrow.countries else wide.not_countries - narrow.not_countries
    if left_out:
        return False
    if wide.countries and (not narrow.countries or not narrow.countries <= wide.countries):
        return False
    if wide.regions and (not narrow.regions or not narrow.regions <= wide.regions):
        return False
    if set(wide.not_postcodes) - set(narrow.not_postcodes):
        return False
    return not wide.postcodes or (
        bool(narrow.postcodes) and all(any(_inside(one, other) for other in wide.postcodes) for one in narrow.postcodes)
    )


def _inside(narrow: str, wide: str) -> bool:
    (of, _, narrow), (of_wide, _, wide) = narrow.rpartition(":"), wide.rpartition(":")
    if of_wide not in ("", of):
        return False
    (low, high), (least, most) = bounds_of(narrow), bounds_of(wide)
    size = len(least)
    return len(low) >= size and least <= low[:size] and high[:size] <= most


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
