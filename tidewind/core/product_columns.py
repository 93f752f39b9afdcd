"""Headings of product files: which field a column holds, and in which unit, so that two pounds are never two grams."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal, InvalidOperation

from tidewind.core.order_rows.columns import plain_header, unit_named

_MEASURES = {
    "weight": "weight_g",
    "length": "length_mm",
    "width": "width_mm",
    "height": "height_mm",
    "depth": "length_mm",
}
# Millimetres in a unit; an inch is 25.4 mm exactly (1959).
_MM = {"mm": Decimal(1), "cm": Decimal(10), "m": Decimal(1000), "in": Decimal("25.4")}
_LENGTHS = {"mm": "mm", "cm": "cm", "m": "m", "in": "in", "inch": "in", "inches": "in", "ins": "in"}
LONGEST_MM = 10_000


@dataclass(frozen=True, slots=True)
class Read:
    """Where the known columns of a file stand, the unit of those that measure, and the headings nobody knows.

    ``without_unit`` are measures whose heading names no unit: they are not read either.
    """

    at: Mapping[str, int]
    units: Mapping[str, str]
    unknown: tuple[str, ...] = ()
    without_unit: tuple[str, ...] = ()


def read_headings(headings: Sequence[str], known: Sequence[str]) -> Read:
    """Return what a file's headings say, given the names of the fields that can be read."""
    at: dict[str, int] = {}
    units: dict[str, str] = {}
    unknown, bare = [], []
    for n, heading in enumerate(headings):
        plain = plain_header(heading)
        name = plain.replace(" ", "_")
        first, _, last = plain.rpartition(" ")
        measure = _MEASURES.get((first or plain).removeprefix("unit ").removesuffix(" in"))
        unit = unit_named(last) if measure == "weight_g" else _LENGTHS.get(last, "")
        if measure and unit and measure not in at:
            at[measure], units[measure] = n, unit
        elif name in known and name not in at:
            at[name] = n
        elif measure and not first:
            bare.append(heading.strip())
        elif plain:
            unknown.append(heading.strip())
    return Read(at, units, tuple(unknown), tuple(bare))


def read_side(text: str, unit: str) -> int | None:
    """Return millimetres, to the nearest, for ``120``, ``12,5`` or ``4.75 in``; None for an empty cell.

    Raises ValueError for what is no side of a product, from 1 mm to 10 m.
    """
    plain = text.strip().lower().replace(",", ".")
    if not plain:
        return None
    figure, _, written = plain.partition(" ")
    meant = _LENGTHS.get(written, "") if written else unit
    if not figure.replace(".", "", 1).isdecimal() or len(figure) > 12:
        raise ValueError(text)
    try:
        mm = (Decimal(figure) * _MM[meant]).quantize(Decimal(1), ROUND_HALF_UP)
    except (InvalidOperation, KeyError) as error:
        raise ValueError(text) from error
    if not 0 < mm <= LONGEST_MM:
        raise ValueError(text)
    return int(mm)
