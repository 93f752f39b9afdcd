"""A figure that we write is read again as itself, and one that people write in their own way as what they meant."""

from __future__ import annotations

import pytest
from hypothesis import assume, example, given
from hypothesis import strategies as st

from tidewind.core.checkout.sheets import has_bands, sheet_of, table_of
from tidewind.core.order_limits import MOST_MINOR
from tidewind.core.order_rows.figures import TooLarge, decimal_sign, read_money, read_weight
from tidewind.core.quantities import amount_text, decimal_text, minor_digits, weight_in

CURRENCIES = ("EUR", "GBP", "JPY", "KWD", "BHD", "ISK", "TND", "CHF")
AMOUNTS = st.integers(0, MOST_MINOR)


@given(AMOUNTS, st.sampled_from(CURRENCIES))
@example(1_234, "KWD")
@example(1_234_567, "KWD")
@example(1_234, "JPY")
@example(MOST_MINOR, "EUR")
def test_an_amount_that_we_write_is_read_as_itself(minor: int, currency: str) -> None:
    text = amount_text(minor, currency)
    assert read_money(text, currency, ".") == minor
    if minor_digits(currency) != 3:  # 1.234 of three decimals may as well be grouped: who says no sign is asked
        assert read_money(text, currency) == minor
        assert read_money(f"{currency} {text}", currency) == minor


def grouped(whole: int, mark: str) -> str:
    return f"{whole:,}".replace(",", mark)


@given(
    AMOUNTS,
    st.sampled_from(CURRENCIES),
    st.sampled_from([(",", "."), (".", ","), (" ", ","), ("\u202f", ","), ("'", "."), ("’", ".")]),
)
@example(123_456, "EUR", (".", ","))
@example(100_000, "EUR", (",", "."))
def test_an_amount_as_a_country_groups_it_is_what_was_meant(minor: int, currency: str, marks: tuple[str, str]) -> None:
    """Told the sign, every amount; untold, all but those with neither decimals nor two kinds of marks."""
    group, sign = marks
    digits = minor_digits(currency)
    whole, rest = divmod(minor, 10**digits)
    text = grouped(whole, group) + (f"{sign}{rest:0{digits}d}" if digits else "")
    assert read_money(text, currency, sign) == minor, text
    if digits == 2:
        assert read_money(text, currency) == minor, text
        assert read_money(f"€ {text} ", currency) == minor, text
        assert decimal_sign([text]) == sign


@given(st.integers(0, 10**14), st.sampled_from(CURRENCIES))
def test_what_cannot_be_kept_is_refused_by_name(minor: int, currency: str) -> None:
    assume(minor > MOST_MINOR)
    with pytest.raises(TooLarge, match="cannot be kept"):
        read_money(amount_text(minor, currency), currency, ".")


@given(st.text(st.sampled_from("0123456789.,' €eE+-x\u00a0"), max_size=14), st.sampled_from(CURRENCIES))
def test_no_text_is_read_as_an_amount_that_it_does_not_say(text: str, currency: str) -> None:
    """Whatever is read has the figures of the text, in their order: none is made up, and none but noughts is lost."""
    try:
        minor = read_money(text, currency)
    except ValueError:
        return
    figures = "".join(ch for ch in text if ch.isdigit())
    if "e" in text.lower() or len(figures) > 12:
        return  # a spreadsheet's powers of ten, and its binary dust
    assert str(minor).strip("0") in figures or not figures
    assert minor >= 0


@given(st.integers(1, 1_000_000))
@example(999)
@example(1_000)
@example(1_010)
def test_a_weight_that_we_write_is_read_as_itself(grams: int) -> None:
    assert read_weight(weight_in(grams, "metric")) == grams
    assert read_weight(str(grams)) == grams
    assert read_weight(decimal_text(grams), "kg") == grams
    assert read_weight(decimal_text(grams).replace(".", ","), "kg") == grams
    pounds = weight_in(grams, "imperial")
    back = read_weight(pounds)
    assert back is not None
    assert abs(back - grams) <= 4, "a hundredth of a pound is 4.5 g, and half of it is what is rounded"


MEASURES = st.sampled_from(["weight_g", "value", "items", "volume_cm3"])


@st.composite
def rate_tables(draw: st.DrawFn) -> dict[str, object]:
    """A written table of the checkout: bands that rise, rows with as many prices, some of them left open."""
    by = draw(MEASURES)
    bands = sorted(draw(st.sets(st.integers(1, 900 if by == "items" else 2_000_000), min_size=1, max_size=6)))
    prices = st.one_of(st.none(), st.integers(0, 99_999))
    rows = [
        {
            "name": draw(st.sampled_from(["", "Home", "Açores", "2nd day", "to 4 kg"])),
            "countries": draw(st.sampled_from(["", "PT", "PT ES", "*"])),
            "regions": "",
            "postcodes": draw(st.sampled_from(["", "1000-1999", "9"])),
            "prices": draw(st.lists(prices, min_size=len(bands), max_size=len(bands))),
        }
        for _ in range(draw(st.integers(1, 5)))
    ]
    return {"code": "home", "name": "Home", "by": by, "bands": bands, "rows": rows}


@given(rate_tables(), st.sampled_from(CURRENCIES))
def test_a_rate_table_comes_back_from_its_sheet(table: dict[str, object], currency: str) -> None:
    sheet = sheet_of(table, currency)
    assert has_bands(sheet)
    back, wrong = table_of("Home", sheet, currency)
    reach_wrong = [words for words in wrong if "price" in words or "band" in words or "measure" in words]
    assert reach_wrong == []
    kept = [row for row, cells in zip(table["rows"], sheet[1:], strict=True) if any(cells)]  # type: ignore[call-overload]
    assert back == {**table, "rows": kept}


@given(rate_tables(), st.randoms(use_true_random=False))
def test_the_columns_of_a_sheet_may_stand_in_any_order(table: dict[str, object], chance: object) -> None:
    sheet = sheet_of(table, "EUR")
    places = list(range(len(sheet[0])))
    chance.shuffle(places)  # type: ignore[attr-defined]
    moved = [[row[place] for place in places] for row in sheet]
    assert table_of("Home", moved, "EUR")[0] == table_of("Home", sheet, "EUR")[0]


@pytest.mark.parametrize(
    ("head", "words"),
    [("to 4 stone", "is no band"), ("to 1e3 kg", "is no band"), ("to 4.0005 kg", "is no band"), ("to x", "is no band")],
)
def test_a_head_that_is_no_band_is_told(head: str, words: str) -> None:
    _, wrong = table_of("T", [["Called", "to 1 kg", head], ["Home", "4.90", "5.90"]], "EUR")
    assert any(words in one for one in wrong)
