"""In which currency a row of a file is: by its cells, its own column or the heading, which must not contradict."""

from __future__ import annotations

import pytest

from tidewind.core.order_rows.columns import guess_columns
from tidewind.core.order_rows.figures import Units
from tidewind.core.order_rows.reading import read_orders
from tidewind.core.order_rows.standing import said_words

HEADS = ["order", "name", "street", "postcode", "city", "country", "sku", "qty"]
WHO = ["1", "Ana", "Rua do Sol 4", "8000-205", "Faro", "PT", "HF-02", "1"]


def read(
    heading: str, price: str, column: str, shipping: str, *, accepted: bool
) -> tuple[list[str], list[tuple[str, int, int]]]:
    """Return the currencies that are asked about, and of each order its currency, unit price and paid shipping."""
    heads, rows = [*HEADS, heading, "currency", "shipping paid"], [(2, [*WHO, price, column, shipping])]
    columns = guess_columns(heads)
    asked = [w.text for w in said_words(rows, columns, Units("EUR"), heads) if w.kind == "currency"]
    units = Units("EUR", states=dict.fromkeys(asked, "open") if accepted else {})
    orders, faults = read_orders(rows, columns, units, heads)
    assert bool(orders) is not bool(faults)
    return asked, [(order.currency, order.lines[0].unit_price, order.paid_shipping) for order in orders]


@pytest.mark.parametrize(
    ("heading", "price", "column", "shipping", "asked", "found"),
    [
        ("price", "18.20", "GBP", "", ["gbp"], ("GBP", 1820, 0)),
        ("price", "18.20", " gbp ", "4.50", ["gbp"], ("GBP", 1820, 450)),
        ("price", "£18,20", "", "", ["gbp"], ("GBP", 1820, 0)),
        ("price", "£18.20", "GBP", "£4.50", ["gbp"], ("GBP", 1820, 450)),
        ("Price (USD)", "18.20", "", "", ["usd"], ("USD", 1820, 0)),
        ("price", "2,400", "JPY", "", ["jpy"], ("JPY", 2400, 0)),
        ("price", "CHF 1'250.50", "", "", ["chf"], ("CHF", 125050, 0)),
        ("price", "18.20", "EUR", "", [], ("", 1820, 0)),
        ("price", "€18.20", "EUR", "€4.50", [], ("", 1820, 450)),
        # a sign of many is sure beside a column that names one of them
        ("price", "$18.20", "USD", "", ["usd"], ("USD", 1820, 0)),
        ("price", "kr 100", "SEK", "", ["sek"], ("SEK", 10000, 0)),
        ("price", "US$18.20", "", "", ["usd"], ("USD", 1820, 0)),
        ("price", "A$18.20", "", "", ["aud"], ("AUD", 1820, 0)),
        # by itself it is none: kept back, whatever is accepted
        ("price", "$18.20", "", "", [], None),
        ("price", "¥2400", "", "", [], None),
        ("price", "18.20", "XXX", "", [], None),
        ("price", "18.20", "Pound", "", [], None),
        # what contradicts itself is kept back
        ("price", "€18.20", "GBP", "", None, None),
        ("price", "£18.20", "EUR", "", None, None),
        ("price", "$18.20", "GBP", "", None, None),
        ("price", "£18.20", "", "€4.50", None, None),
        ("Price (USD)", "£18.20", "", "", None, None),
        # without a price the shipping says it; it is never the shop's by chance
        ("price", "", "GBP", "4.50", ["gbp"], ("GBP", 0, 450)),
        ("price", "", "GBP", "", [], ("", 0, 0)),
        ("price", "", "", "4.50", [], ("", 0, 450)),
    ],
)
def test_a_row_is_in_one_currency_or_kept_back(
    heading: str, price: str, column: str, shipping: str, asked: list[str] | None, found: tuple[str, int, int] | None
) -> None:
    asks, orders = read(heading, price, column, shipping, accepted=True)
    assert orders == ([found] if found else [])
    if asked is not None:
        assert asks == asked
    before = read(heading, price, column, shipping, accepted=False)[1]
    assert before == ([found] if found and not found[0] else [])  # nothing of another currency before it is accepted
