"""Headings of product files name their unit or are asked about: two pounds are never two grams."""

from __future__ import annotations

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.product_columns import read_headings, read_side

KNOWN = ("sku", "name", "weight_g", "length_mm", "width_mm", "height_mm", "value")


@pytest.mark.parametrize(
    ("headings", "units", "unknown", "bare"),
    [
        ("sku,weight_g,length_mm", {"weight_g": "g", "length_mm": "mm"}, (), ()),
        ("SKU,Weight (lb),Length in,Width (inches)", {"weight_g": "lb", "length_mm": "in", "width_mm": "in"}, (), ()),
        ("sku,Weight oz,Depth cm", {"weight_g": "oz", "length_mm": "cm"}, (), ()),
        ("sku,Weight,Height,Colour", {}, ("Colour",), ("Weight", "Height")),
        ("sku,Weight kg,Weight lb", {"weight_g": "kg"}, ("Weight lb",), ()),
        ("sku,Shipping weight kg,Value", {}, ("Shipping weight kg",), ()),
    ],
)
def test_a_measure_has_the_unit_of_its_heading(
    headings: str, units: dict[str, str], unknown: tuple[str, ...], bare: tuple[str, ...]
) -> None:
    found = read_headings(headings.split(","), KNOWN)
    assert (found.units, found.unknown, found.without_unit) == (units, unknown, bare)
    assert {"sku", *units} <= found.at.keys() <= {*KNOWN}


@given(st.decimals("0.1", "300", places=2), st.sampled_from([("mm", "1"), ("cm", "10"), ("in", "25.4")]), st.booleans())
def test_a_side_is_within_half_a_millimetre(figure: Decimal, unit: tuple[str, str], written: bool) -> None:
    name, mm = unit
    exact = figure * Decimal(mm)
    text = f"{figure} {name}" if written else str(figure).replace(".", ",")
    if exact < Decimal("0.5"):
        with pytest.raises(ValueError, match=r"."):
            read_side(text, name)
        return
    side = read_side(text, "" if written else name)
    assert side is not None
    assert abs(side - exact) <= Decimal("0.5")


@pytest.mark.parametrize("text", ["0", "-4", "ten", "12 miles", "10001", "1e9", "NaN"])
def test_what_is_no_side_is_refused(text: str) -> None:
    with pytest.raises(ValueError, match=r"."):
        read_side(text, "mm")
