"""Addresses, rows of spreadsheets, message templates, tracking states, and the ledger as a state machine."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core import ledger
from tidewind.core.addresses.check import Address, check, is_po_box, tidy, tidy_address
from tidewind.core.addresses.countries import country_code
from tidewind.core.messages.filling import fill, unknown_fields
from tidewind.core.order_rows.columns import guess_columns, header_row
from tidewind.core.order_rows.figures import Units, read_money, read_weight
from tidewind.core.order_rows.reading import read_in_lots, read_orders
from tidewind.core.quantities import decimal_text, length_text, money_text, speak_in, volume_text, weight_text
from tidewind.core.tracking.states import FINAL, TrackingState, state_after

GOOD = Address(name="A", street="Rua 1", city="Viseu", postcode="3500-108", country="PT")


@pytest.mark.parametrize(
    ("change", "faults"),
    [
        ({}, []),
        ({"postcode": "3500-10"}, [("postcode", "shape")]),
        ({"postcode": "3500 108"}, []),
        ({"city": ""}, [("city", "missing")]),
        ({"street": "", "name": ""}, [("name", "missing"), ("street", "missing")]),
        ({"name": "", "company": "Quinta"}, []),
        ({"country": ""}, [("country", "missing")]),
        ({"country": "ZZ"}, [("country", "missing")]),
        ({"country": "GB", "postcode": "hr1 2px", "city": "Hereford"}, []),
        ({"country": "GR", "postcode": "452 21"}, []),
        ({"country": "JP", "postcode": "248-0012", "region": "神奈川県"}, []),
        ({"country": "US", "postcode": "97205", "region": ""}, [("region", "missing")]),
        ({"country": "ES", "postcode": "37001"}, []),  # the postcode says the province
        ({"city": "x" * 5000}, [("city", "too_long")]),
    ],
)
def test_addresses(change: dict[str, str], faults: list[tuple[str, str]]) -> None:
    from dataclasses import replace

    assert [(f.field, f.code) for f in check(replace(GOOD, **change))] == faults


def test_tidying_removes_what_hides_and_turns_text() -> None:
    assert tidy("Ana\u202e\u200b  \x00 Maria\n") == "Ana Maria"
    assert tidy_address(Address(name=" x ", country="portugal")).country == "PT"
    assert (country_code("uk"), country_code("Atlantis"), country_code("")) == ("GB", None, None)
    assert is_po_box(Address(street="Postfach 11 20"))
    assert not is_po_box(Address(street="Boxhagener Straße 4"))


HEADERS = [
    "Encomenda",
    "Nome",
    "Morada",
    "Código postal",
    "Localidade",
    "País",
    "Artigo",
    "Quantidade",
    "Preço",
    "Peso (g)",
]


def row(**change: str) -> list[str]:
    cells = {
        "Encomenda": "1",
        "Nome": "Ana",
        "Morada": "Rua 1",
        "Código postal": "3500-108",
        "Localidade": "Viseu",
        "País": "Portugal",
        "Artigo": "HF-02",
        "Quantidade": "2",
        "Preço": "1,50",
        "Peso (g)": "",
    }
    return list({**cells, **change}.values())


def test_header_and_columns_are_found() -> None:
    assert header_row([["A list of orders"], [""], HEADERS, row()]) == 2
    assert guess_columns(HEADERS) == {
        "order_number": 0,
        "name": 1,
        "street": 2,
        "postcode": 3,
        "city": 4,
        "country": 5,
        "sku": 6,
        "quantity": 7,
        "unit_price": 8,
        "weight_g": 9,
    }


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"Quantidade": "two"}, "no quantity"),
        ({"Quantidade": "0"}, "no quantity"),
        ({"Quantidade": "100001"}, "no quantity"),
        ({"Quantidade": "٣"}, "no quantity"),
        ({"Preço": "free"}, "no price"),
        ({"Peso (g)": "heavy"}, "no weight"),
        ({"País": "Atlantis"}, "no country"),
        ({"Artigo": " \u200b"}, "sku is empty"),
        ({"Localidade": "x" * 5000}, "5000 characters"),
    ],
)
def test_a_bad_row_is_kept_back_in_words_with_its_whole_order(change: dict[str, str], words: str) -> None:
    rows = [(2, row()), (3, row(**change)), (4, row(Encomenda="2"))]
    orders, faults = read_orders(rows, guess_columns(HEADERS), Units("EUR"))
    assert [o.number for o in orders] == ["2"]
    assert any(f.row == 3 and words in f.words for f in faults)
    assert any(f.row == 2 and "kept back with row 3" in f.words for f in faults)


def test_rows_of_one_number_make_one_order_and_ten_thousand_lines_are_refused() -> None:
    columns = guess_columns(HEADERS)
    orders, faults = read_orders([(2, row()), (3, row(Artigo="TP-12")), (4, [])], columns, Units("EUR"))
    assert ([len(o.lines) for o in orders], faults) == ([2], [])
    again, _ = read_orders([(9, row()), (10, row(Artigo="TP-12"))], columns, Units("EUR"))
    assert again[0].fingerprint() == orders[0].fingerprint()
    mixed = [(n, row(Encomenda=str(n % 7), **({"País": "Atlantis"} if n == 12 else {}))) for n in range(2, 40)]
    lots = list(read_in_lots(mixed, columns, Units("EUR"), 3))
    assert len(lots) == 3
    assert [order for lot in lots for order in lot] == sorted(
        read_orders(mixed, columns, Units("EUR"))[0], key=lambda o: o.rows
    )
    orders, faults = read_orders([(n, row()) for n in range(10_000)], columns, Units("EUR"))
    assert orders == []
    assert "10,000 lines" in faults[0].words


@pytest.mark.parametrize(
    ("text", "minor"),
    [("4.90", 490), ("4,90", 490), ("€ 1.204,50", 120450), ("1,204.50 EUR", 120450), ("", 0), ("7", 700)],
)
def test_money_as_people_write_it(text: str, minor: int) -> None:
    assert read_money(text, "EUR") == minor


def test_weights_as_people_write_them() -> None:
    assert [read_weight(t) for t in ("250", "250 g", "0,25 kg", "1.5kg", "")] == [250, 250, 250, 1500, None]
    for bad in ("-1", "0", "0.5", "1e3", "9999999 kg"):
        with pytest.raises(ValueError, match=bad):
            read_weight(bad)
    for bad in ("-4", "4.905", "1e2"):
        with pytest.raises(ValueError, match=bad):
            read_money(bad, "EUR")


def test_figures_in_words() -> None:
    assert [decimal_text(n) for n in (31_500, 3000, 5, -250)] == ["31.5", "3", "0.005", "−0.25"]
    assert (weight_text(999), weight_text(2240), length_text(1705)) == ("999 g", "2.24 kg", "170.5 cm")
    speak_in("imperial")
    try:  # 1 lb is 453.59237 g, 1 in is 25.4 mm
        said = (weight_text(454), weight_text(1), weight_text(2240), length_text(1705), length_text(254))
        assert (*said, volume_text(1200)) == ("1.00 lb", "0.01 lb", "4.94 lb", "67.1 in", "10 in", "73 in³")
    finally:
        speak_in("metric")
    assert money_text(-5, "EUR") == "−0.05 EUR"
    assert [money_text(12_345, c) for c in ("GBP", "JPY", "BHD", "CLF")] == [
        "123.45 GBP",
        "12345 JPY",
        "12.345 BHD",
        "1.2345 CLF",
    ]


@pytest.mark.parametrize(
    ("text", "currency", "minor"),
    [
        ("1,204", "JPY", 1_204),
        ("¥ 980", "JPY", 980),
        ("1.204,5", "USD", 120_450),
        ("4.905", "KWD", 4_905),
        ("12 kr", "NOK", 1_200),
        ("980.5", "JPY", None),
        ("4.905", "USD", None),
        ("4.9051", "KWD", None),
    ],
)
def test_amounts_have_the_decimals_of_their_currency(text: str, currency: str, minor: int | None) -> None:
    if minor is None:
        with pytest.raises(ValueError, match=r"\d"):
            read_money(text, currency)
    else:
        assert read_money(text, currency) == minor


def test_templates_only_replace_and_values_are_no_templates() -> None:
    assert fill("Dear {name}, {order}", {"name": "{order}\nBcc: x", "order": "1"}) == "Dear {order} Bcc: x, 1"
    assert unknown_fields("{name} {secret}", frozenset({"name"})) == ["secret"]
    with pytest.raises(KeyError):
        fill("{gone}", {})


@given(st.lists(st.sampled_from(TrackingState)))
def test_final_states_stay(events: list[TrackingState]) -> None:
    state = TrackingState.ANNOUNCED
    for event in events:
        before, state = state, state_after(state, event)
        if before in FINAL - {TrackingState.LOST}:
            assert state is before
        back = before is TrackingState.RETURNING and state is TrackingState.RETURNED
        assert state is event or state is before or back


moves = st.tuples(
    st.sampled_from(["top_up", "hold", "release", "charge", "void_asked", "refund", "refund_refused", "correction"]),
    st.integers(1, 10**7),
)


@given(st.lists(moves, max_size=40))
def test_the_books_always_sum_to_zero_and_a_reversal_undoes(done: list[tuple[str, int]]) -> None:
    books: dict[str, int] = {}
    for kind, amount in done:
        movement = ledger.entry(kind, amount)
        after = ledger.apply(books, movement)
        assert sum(after.values()) == 0
        undone = ledger.apply(after, ledger.reversal(movement))
        assert {k: v for k, v in undone.items() if v} == {k: v for k, v in books.items() if v}
        books = after


@pytest.mark.parametrize(("kind", "amount"), [("hold", 0), ("hold", -1), ("gift", 5), ("correction", 0)])
def test_entries_that_move_nothing_are_refused(kind: str, amount: int) -> None:
    with pytest.raises(ValueError, match=r"moves nothing|unknown kind"):
        ledger.entry(kind, amount)
    assert ledger.entry("correction", -5).postings == (("available", 5), ("postage", -5))
