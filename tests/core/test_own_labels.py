"""Numbers drawn from ranges, and price lists as they stand on a leaflet."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.codes import is_s10, is_sscc
from tidewind.core.numbering import NumberRange, RangeKind, overlap, range_faults
from tidewind.core.tariffs.card import RateCard
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.reading import BadCard
from tidewind.core.tariffs.simple import EXAMPLE, Around, is_simple, read_simple, simple_card
from tidewind.core.tariffs.written import read_card

S10 = NumberRange(RangeKind.S10, "RR", 12_345_670, 12_345_679, "PT")
SSCC = NumberRange(RangeKind.SSCC, "35601234", 0, 999_999_999)
PLAIN = NumberRange(RangeKind.COUNTER, "TW-", 1, 99_999, digits=5, check=True)


def test_numbers_are_written_as_their_standards_say() -> None:
    assert S10.number(12_345_678) == "RR123456785PT"  # UPU S10-12, worked by hand: weights 8 6 4 2 3 5 9 7
    assert SSCC.number(7) == "356012340000000079"  # GS1, by hand: 71, so 9
    assert PLAIN.number(42) == "TW-000420"
    for outside in (12_345_669, 12_345_680):
        with pytest.raises(ValueError, match="between"):
            S10.number(outside)


@given(st.integers(0, 99_999_999), st.integers(0, 999_999_999))
def test_every_number_has_a_true_check_digit(serial: int, other: int) -> None:
    assert is_s10(replace(S10, first=0, last=99_999_999).number(serial))
    assert is_sscc(SSCC.number(other))


@pytest.mark.parametrize(
    ("wanted", "words"),
    [
        (replace(S10, prefix="R1"), "two capital letters"),
        (replace(S10, country=""), "two letters of a country"),
        (replace(S10, last=100_000_000), "at most 8 digits"),
        (replace(SSCC, prefix="123"), "company prefix"),
        (replace(SSCC, last=10**9), "at most 9 digits"),
        (replace(PLAIN, prefix="tw"), "capital letters"),
        (replace(PLAIN, digits=13), "1 to 12 digits"),
        (replace(PLAIN, prefix="", digits=3, last=999), "at least four"),
        (replace(PLAIN, first=9, last=8), "not smaller"),
        (replace(PLAIN, first=-1), "none is negative"),
    ],
    ids=lambda v: v if isinstance(v, str) else "",
)
def test_a_range_that_cannot_be_drawn_from_is_refused_in_words(wanted: NumberRange, words: str) -> None:
    assert words in " ".join(range_faults(wanted))


@given(st.integers(0, 50), st.integers(0, 50), st.integers(0, 50), st.integers(0, 50))
def test_ranges_overlap_exactly_where_they_share_a_number(a: int, b: int, c: int, d: int) -> None:
    one = replace(PLAIN, first=min(a, b), last=max(a, b))
    other = replace(PLAIN, first=min(c, d), last=max(c, d), check=False, digits=6)
    longer = replace(other, prefix=f"{PLAIN.prefix}0", digits=5)
    for two in (replace(one, first=min(c, d), last=max(c, d)), other, replace(other, prefix="X"), longer):
        mine, theirs = ({r.number(n) for n in range(r.first, r.last + 1)} for r in (one, two))
        assert overlap(one, two) or mine.isdisjoint(theirs)
    assert overlap(one, replace(one, first=min(c, d), last=max(c, d))) == (
        max(a, c, min(a, b), min(c, d)) >= 0 and (min(a, b) <= max(c, d) and min(c, d) <= max(a, b))
    )


HERE = Around("leaf", "Leaf", "EUR", "PT", "Europe/Lisbon", date(2026, 11, 26))


def card_from(rows: list[list[str]], here: Around = HERE) -> RateCard:
    assert is_simple(rows)
    said, faults = read_simple(rows, here.currency)
    assert faults == []
    card = read_card(simple_card(said, here))
    assert not isinstance(card, BadCard), card
    return card


def test_the_example_is_a_card_with_what_it_says() -> None:
    card = card_from(EXAMPLE)
    CompiledCard(card, date(2026, 11, 26))
    service = card.services[0]
    assert [zone.name for zone in card.zones] == ["Portugal", "Spain; France", "everywhere else"]
    assert (service.limits.gross_g, service.transit["z2"].days_max, str(card.networks[0].cutoff)) == (
        20_000,
        4,
        "16:00:00",
    )


POUNDS = [
    ["Up to lb", "United States", "Canada"],
    ["1", "$4.50", "9,00"],
    ["2.5", "5.25", ""],
]
WRONG = {
    "a country that is none": ([["Up to kg", "Atlantis"], ["1", "4"]], "B1: “Atlantis” is no country"),
    "a price that is none": ([["Up to kg", "PT"], ["1", "cheap"]], "B2: “cheap” is no price"),
    "a weight that is none": ([["Up to kg", "PT"], ["heavy", "4"]], "A2: “heavy” is no weight"),
    "a gap between prices": ([["Up to kg", "PT"], ["1", "4"], ["2", ""], ["3", "5"]], "missing between others"),
    "no step": ([["Up to kg", "PT"]], "no row with a weight"),
    "no zone": ([["Up to kg"], ["1"]], "name between 1 and"),
    "days that are none": ([["Up to kg", "PT"], ["1", "4"], ["Days", "soon"]], "is not a valid number of days"),
    "days that run backwards": ([["Up to kg", "PT"], ["1", "4"], ["Days", "4-2"]], "B3: “4-2” is not a valid number"),
    "days said twice": ([["Up to kg", "PT"], ["1", "4"], ["Days", "1"], ["Days", "2"]], "A4: there are two rows of"),
    "weights that fall": ([["Up to kg", "PT"], ["2", "4"], ["1", "5"]], "A3: “1” is not heavier than the row above"),
    "a country twice": ([["Up to kg", "PT", "ES; PT"], ["1", "4", "5"]], "C1: “PT” has prices already"),
    "a side without end": ([["Longest side cm", "Infinity"], ["Up to kg", "PT"], ["1", "4"]], "row 1: “Infinity”"),
    "no divisor": ([["Volume cm3 per kg", "0"], ["Up to kg", "PT"], ["1", "4"]], "row 1: “0” is no volume"),
    "more tax than price": ([["Tax %", "230"], ["Up to kg", "PT"], ["1", "4"]], "row 1: “230” is no tax"),
    "a cut-off that is none": (
        [["Cut-off", "teatime"], ["Up to kg", "PT"], ["1", "4"]],
        "row 1: “teatime” is no cut-off",
    ),
}


def test_pounds_cents_and_a_zone_that_ends_earlier() -> None:
    card = card_from(POUNDS, replace(HERE, currency="USD", country="US", time_zone="America/New_York"))
    service = card.services[0]
    assert service.limits.gross_g == 1_134  # 2.5 lb, rounded up to the gram
    assert service.zone_limits["z2"].gross_g == 454
    yen = card_from([["Up to kg", "Japan"], ["1", "1,204"]], replace(HERE, currency="JPY", country="JP"))
    assert "1204" in str(simple_card(read_simple([["Up to kg", "Japan"], ["1", "1,204"]], "JPY")[0], HERE))
    assert yen.currency == "JPY"


@pytest.mark.parametrize(("rows", "words"), WRONG.values(), ids=WRONG)
def test_what_is_wrong_with_a_list_is_named_by_its_cell(rows: list[list[str]], words: str) -> None:
    _, faults = read_simple(rows, "EUR")
    assert words in " ".join(faults)


@given(st.lists(st.lists(st.text(max_size=8), max_size=4), max_size=5))
def test_no_table_crashes_the_reader(rows: list[list[str]]) -> None:
    table = [["Up to kg", "PT"], *rows]
    said, faults = read_simple(table, "EUR")
    if not faults:
        assert isinstance(read_card(simple_card(said, HERE)), RateCard)


CELLS = st.sampled_from(["", "0", "1", "2", "5", "-1", "3.90", "1-2", "4-2", "99", "Days", "PT"])
HEADS = st.lists(st.sampled_from(["PT", "ES", "PT; ES", "everywhere else", "*", "nowhere", ""]), min_size=1, max_size=3)
ABOVE = st.tuples(
    st.sampled_from(["Service", "Cut-off", "Longest side cm", "Volume cm3 per kg", "Tax %"]),
    st.sampled_from(["", "0", "-5", "120", "16:00", "25:00", "1e9", "NaN", "Infinity", "230"]),
).map(list)
STEPS = st.lists(st.sampled_from(["1", "2", "5", "10"]), unique=True, min_size=1).map(lambda s: sorted(s, key=int))


@given(st.lists(ABOVE, max_size=2), HEADS, STEPS, st.lists(st.lists(CELLS, max_size=4), max_size=2), st.booleans())
def test_a_list_without_faults_is_a_card_that_reads(
    above: list[list[str]], heads: list[str], steps: list[str], more: list[list[str]], tidy: bool
) -> None:
    """What the reader finds no fault in, the reader of cards finds none in either: nobody is told of its fields."""
    priced = [[step, *[f"{n}.50"] * len(heads)] for n, step in enumerate(steps, 3)]
    said, faults = read_simple([*above, ["Up to kg", *heads], *priced, *([] if tidy else more)], "EUR")
    if not faults:
        assert isinstance(read_card(simple_card(said, HERE)), RateCard)


POSTED = NumberRange(RangeKind.S10, "RR", 100, 199, "PT")
TRUCK = NumberRange(RangeKind.COUNTER, "TW-", 100, 199, digits=6)


@pytest.mark.parametrize(
    ("one", "other", "meet"),
    [
        (POSTED, replace(POSTED, first=199, last=300), True),
        (POSTED, replace(POSTED, first=200, last=300), False),
        (POSTED, replace(POSTED, prefix="RS"), False),
        (POSTED, replace(POSTED, country="ES"), False),
        (POSTED, replace(POSTED, kind=RangeKind.SSCC, prefix="356000000", country=""), False),
        (TRUCK, replace(TRUCK, prefix="TW-0", digits=5), True),
        (TRUCK, replace(TRUCK, prefix="TW-0", digits=6), False),
        (TRUCK, replace(TRUCK, first=200, last=300), False),
    ],
)
def test_ranges_that_could_give_one_number_are_told(one: NumberRange, other: NumberRange, meet: bool) -> None:
    assert overlap(one, other) is meet
    assert overlap(other, one) is meet
