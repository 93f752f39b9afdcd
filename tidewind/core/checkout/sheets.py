"""Rate tables as spreadsheets: one sheet each, a row for each row, a column for each band (``to 4 kg``), both ways."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from tidewind.core.checkout.reach import read_reach
from tidewind.core.checkout.tables import By
from tidewind.core.order_rows.figures import TooLarge, read_money
from tidewind.core.quantities import amount_text, decimal_text
from tidewind.core.written import Written

WORDS = ("name", "countries", "regions", "postcodes")
HEADS = ("Called", "Countries", "Regions", "Postcodes")
_UNITS: dict[str, By] = {"kg": "weight_g", "pieces": "items", "l": "volume_cm3"}
_SAID = {by: unit for unit, by in _UNITS.items()}
_BAND = re.compile(r"\s*(?:to|up to|until)?\s*([\d.,]+)\s*([a-z]{1,6})\s*", re.IGNORECASE)
_CODE = re.compile(r"[^a-z0-9]+")


def sheet_of(table: Mapping[str, Any], currency: str) -> list[list[str]]:
    """Return a written table (docs/checkout.md) as rows of texts, the heads first."""
    rows = [[*HEADS, *(_band_text(end, table.get("by") or "weight_g", currency) for end in table["bands"])]]
    for row in table["rows"]:
        prices = [*row.get("prices", ())]
        prices += [None] * (len(table["bands"]) - len(prices))
        texts = ["" if price is None else amount_text(price, currency) for price in prices]
        rows.append([*(str(row.get(name) or "") for name in WORDS), *texts])
    return rows


def _band_text(end: int, by: By, currency: str) -> str:
    if by == "value":
        return f"to {amount_text(end, currency)} {currency}"
    return f"to {end if by == 'items' else decimal_text(end)} {_SAID[by]}"


def table_of(name: str, sheet: Sequence[Sequence[str]], currency: str) -> tuple[Written, list[str]]:
    """Return a sheet as a written table, and everything that is wrong with it, by row.

    The heads name the columns in any order; a band says its upper end and its unit: ``to 4 kg``, ``to 60.00 EUR``,
    ``to 3 pieces``, ``to 20 l``.
    """
    wrong: list[str] = []
    heads = [head.strip() for head in sheet[0]] if sheet else []
    at = {word: heads.index(head) for word, head in zip(WORDS, HEADS, strict=True) if head in heads}
    bands: list[tuple[int, int]] = []
    measures: list[By] = []
    for place, head in enumerate(heads):
        if head in HEADS or not head:
            continue
        read = _band_of(head, currency)
        if read is None:
            wrong.append(
                f"The column “{head[:30]}” is no band; write to 4 kg, to 60.00 {currency}, to 3 pieces or to 20 l"
            )
            continue
        bands.append((read[0], place))
        measures.append(read[1])
    if len(set(measures)) > 1:
        wrong.append("Its bands measure different things; one table has one measure")
    bands.sort()
    rows = [_row(cells, number, at, bands, currency, wrong) for number, cells in enumerate(sheet[1:], 2) if any(cells)]
    by: By = measures[0] if measures else "weight_g"
    code = _CODE.sub("-", name.casefold()).strip("-")[:30] or "table"
    return {"code": code, "name": name[:60], "by": by, "bands": [end for end, _ in bands], "rows": rows}, wrong


def has_bands(sheet: Sequence[Sequence[str]]) -> bool:
    """Tell whether a sheet can be a rate table: its heads name a band, in whatever unit."""
    return any(_BAND.fullmatch(head.strip()) for head in (sheet[0] if sheet else ()))


def _band_of(head: str, currency: str) -> tuple[int, By] | None:
    match = _BAND.fullmatch(head)
    if match is None:
        return None
    figure, unit = match[1], match[2]
    try:
        if unit.upper() == currency.upper():
            return read_money(figure, currency), "value"
        by = _UNITS.get(unit.casefold())
        if by is None:
            return None
        if by == "items":
            return int(figure), by
        return read_money(figure.replace(",", "."), "BHD", "."), by  # thousandths, as of a currency of three decimals
    except (ValueError, TooLarge):
        return None


def _row(
    cells: Sequence[str],
    number: int,
    at: Mapping[str, int],
    bands: Sequence[tuple[int, int]],
    currency: str,
    wrong: list[str],
) -> Written:
    def cell(place: int) -> str:
        return cells[place].strip() if place < len(cells) else ""

    row: Written = {word: cell(place) for word, place in at.items()}
    try:
        read_reach(row.get("countries", ""), row.get("regions", ""), row.get("postcodes", ""))
    except ValueError as error:
        wrong.append(f"Row {number}: {error}")
    prices: list[int | None] = []
    for _, place in bands:
        text = cell(place)
        try:
            prices.append(read_money(text, currency) if text else None)
        except (ValueError, TooLarge):
            wrong.append(f"Row {number}: “{text[:20]}” is no price")
            prices.append(None)
    return {**row, "prices": prices}
