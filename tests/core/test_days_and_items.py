"""Days in files are read as they were meant or asked about; items beside each other are items; pages have tables."""

from __future__ import annotations

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.order_rows.columns import guess_columns, plain_header
from tidewind.core.order_rows.days import TwoDays, day_order, read_day
from tidewind.core.order_rows.figures import Units
from tidewind.core.order_rows.reading import read_orders
from tidewind.core.order_rows.standing import said_words
from tidewind.core.order_rows.wide import item_columns
from tidewind.outside.page_tables import charset_of, is_page, rows_of_page

DAYS = st.dates(date(2000, 1, 1), date(2099, 12, 31))
FORMS = {
    "dmy": ("%d/%m/%Y", "%d-%m-%y", "%d.%m.%Y 09:15"),
    "mdy": ("%m/%d/%Y", "%m-%d-%y 9:15 PM"),
    "": ("%Y-%m-%dT01:00Z",),
}
MONTHS = (
    ("3 March 2026", "March 3, 2026", "3 de março de 2026", "3 mars 2026", "3. März 2026", "3 mrt 2026", "3 marzo 2026"),
    ("7 December 2026", "7 dez. 2026", "7 de diciembre de 2026", "7 décembre 2026", "dic 7, 2026"),
    ("1 August 2026", "1 ago 2026", "1 août 2026", "aug 1 2026"),
)  # fmt: skip


@given(st.lists(DAYS, min_size=1, max_size=6), st.sampled_from(sorted(FORMS)), st.data())
def test_a_day_is_read_as_it_was_meant_or_asked_about_never_as_another(
    days: list[date], meant: str, data: st.DataObject
) -> None:
    form = data.draw(st.sampled_from(FORMS[meant]))
    texts = [day.strftime(form) for day in days]
    known = day_order(texts)
    assert known in {"", meant}
    for day, text in zip(days, texts, strict=True):
        assert read_day(text, meant) == day  # type: ignore[arg-type]
        try:
            assert read_day(text, known) == day
        except TwoDays:
            assert not known
            assert day.day <= 12
            assert day.day != day.month
    if any(day.day > 12 for day in days) or not meant:
        assert [read_day(text, known) for text in texts] == days


@pytest.mark.parametrize(
    ("ordered", "deliver", "read"),
    [
        ("25/11/2026", "04/12/2026", date(2026, 12, 4)),  # the other column says that the day comes first
        ("11/25/2026", "12/04/2026", date(2026, 12, 4)),
        ("05/11/2026", "04/12/2026", None),  # neither says it: asked
    ],
)
def test_a_column_of_days_that_leaves_it_open_has_it_from_the_other(
    ordered: str, deliver: str, read: date | None
) -> None:
    heads = ["order", "name", "street", "postcode", "city", "country", "sku", "qty", "order date", "deliver by"]
    cells = ["1", "Ana", "Rua do Sol 4", "8000-205", "Faro", "PT", "HF-02", "1", ordered, deliver]
    orders, faults = read_orders([(2, cells)], guess_columns(heads), Units("EUR"), heads)
    assert ([order.deliver_by for order in orders] or [None]) == [read]
    assert bool(faults) is (read is None)


@pytest.mark.parametrize("word", ["代引", "COD", "Nachnahme", "x" * 41])
def test_money_at_the_door_is_seen_in_a_column_that_nobody_mapped(word: str) -> None:
    rows = [(2, ["1", word]), (3, ["2", "card"])]
    found = said_words(rows, {"order_number": 0}, Units("EUR"), ["order", "how"])
    assert [(one.text, one.kind, one.count) for one in found] == (
        [(word.casefold(), "door", 1)] if len(word) < 41 else []
    )


@pytest.mark.parametrize(("month", "words"), [(3, MONTHS[0]), (12, MONTHS[1]), (8, MONTHS[2])])
def test_months_in_words_of_several_languages(month: int, words: tuple[str, ...]) -> None:
    assert {read_day(text).month for text in words} == {month}  # type: ignore[union-attr]
    assert {read_day(text).year for text in words} == {2026}  # type: ignore[union-attr]


@pytest.mark.parametrize("text", ["soon", "31/02/2026", "2026-13-01", "0", "12", "1/2", "32.1.2026", "7 Nonsense 2026"])
def test_what_is_no_day_is_refused(text: str) -> None:
    with pytest.raises(ValueError, match=r".*") as refusal:
        read_day(text, "dmy")
    assert refusal.type is ValueError


@pytest.mark.parametrize(
    ("headings", "found"),
    [
        pytest.param("Order,Item 1 SKU,Item 1 Qty,Item 2 SKU,Item 2 Qty", [("sku", 1, "quantity", 2), ("sku", 3, "quantity", 4)], id="number between"),
        pytest.param("SKU 1,Price 1,SKU 2,Price 2", [("sku", 0, "unit_price", 1), ("sku", 2, "unit_price", 3)], id="number behind"),
        pytest.param("Artikel 1 Menge,Artikel 1 SKU,Artikel 2 Menge,Artikel 2 SKU", [("quantity", 0, "sku", 1), ("quantity", 2, "sku", 3)], id="German"),
        pytest.param("Line Item 1 Name,Line Item 2 Name", [], id="names without a SKU say nothing of goods"),
        pytest.param("Address 1,Address 2,SKU,Quantity", [], id="lines of an address are no items"),
        pytest.param("SKU 1,Quantity 1,City", [], id="one item alone"),
        pytest.param("Phone 1,Phone 2,Email 1,Email 2", [], id="other things with numbers"),
    ],
)  # fmt: skip
def test_items_beside_each_other(headings: str, found: list[tuple[str | int, ...]]) -> None:
    items = item_columns([plain_header(head) for head in headings.split(",")])
    assert items == [dict(zip(one[::2], one[1::2], strict=True)) for one in found]


CELLS = st.lists(st.lists(st.text("aß&<>\"' é1", max_size=8), min_size=1, max_size=4), min_size=1, max_size=5)


@given(CELLS, st.booleans())
def test_a_page_holds_what_its_cells_say(rows: list[list[str]], closed: bool) -> None:
    def safe(text: str) -> str:
        return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;").replace('"', "&quot;")

    end = "</td>" if closed else ""
    body = "".join("<tr>" + "".join(f"<td>{safe(c)}{end}" for c in row) + "</tr>" for row in rows)
    page = f"<html><body><table><tr><td>a menu</table><p>x</p><table>{body}</table></body></html>"
    wanted = [[" ".join(cell.split()) for cell in row] for row in rows]
    found = rows_of_page(page)
    assert found == (wanted if sum(map(len, rows)) > 1 else [["a menu"]])


def test_spreadsheet_xml_of_2003_and_its_gaps() -> None:
    text = (
        '<?xml version="1.0" encoding="iso-8859-1"?><?mso-application progid="Excel.Sheet"?>'
        '<Workbook xmlns:ss="urn:x"><Worksheet ss:Name="A"><Table><Row><Cell><Data ss:Type="String">Order</Data></Cell>'
        '<Cell ss:Index="4"><Data>City</Data></Cell></Row><Row><Cell><Data>A1</Data></Cell><Cell><Data>x</Data></Cell>'
        "</Row></Table></Worksheet></Workbook>"
    )
    assert is_page(text.encode())
    assert charset_of(text.encode()) == "iso-8859-1"
    assert rows_of_page(text) == [["Order", "", "", "City"], ["A1", "x"]]
    assert not is_page(b"Order;<b>Name</b>\n1;2")
    assert rows_of_page("<html>nothing") == []
