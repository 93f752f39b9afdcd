"""Rows looked up by country and postcode hold where the same rows, asked one after the other, hold; and hide no others."""

from __future__ import annotations

from collections.abc import Sequence

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tests.run.length import examples
from tidewind.core.checkout.matching import RowIndex
from tidewind.core.checkout.reach import Reach

COUNTRIES = ("PT", "ES", "GB")
ENDS = st.text("0159A", min_size=1, max_size=4)
RANGES = st.tuples(ENDS, ENDS).filter(lambda two: len(two[0]) == len(two[1])).map(lambda two: "-".join(sorted(two)))
PATTERNS = st.one_of(ENDS, RANGES, st.tuples(st.sampled_from(COUNTRIES), ENDS).map(":".join))
SOME = st.frozensets(st.sampled_from(COUNTRIES), max_size=2)
REACHES = st.builds(
    Reach,
    countries=SOME,
    not_countries=st.one_of(st.just(frozenset[str]()), SOME),
    regions=st.sampled_from((frozenset[str](), frozenset[str](), frozenset({"açores"}))),
    postcodes=st.lists(PATTERNS, max_size=3).map(tuple),
    not_postcodes=st.lists(ENDS, max_size=1).map(tuple),
)
PLACES = st.tuples(st.sampled_from((*COUNTRIES, "FR")), st.text("0159A -", max_size=6), st.sampled_from(("", "Açores")))


def one_after_the_other(rows: Sequence[Reach], place: tuple[str, str, str]) -> int | None:
    return next((n for n, reach in enumerate(rows) if reach.holds(*place)), None)


@settings(max_examples=examples(100), deadline=None)
@given(st.lists(REACHES, max_size=9), st.lists(PLACES, min_size=1, max_size=12))
@example([Reach(frozenset({"PT"}), postcodes=("9000-9400",)), Reach(frozenset({"PT"}))], [("PT", "90", "")])
@example(
    [Reach(frozenset({"GB"}), postcodes=("A1", "A")), Reach()], [("GB", "A", ""), ("GB", "a 1", ""), ("FR", "", "")]
)
@example([Reach(frozenset({"ES", "PT"}), postcodes=("ES:5",))], [("PT", "", ""), ("ES", "51", ""), ("ES", "", "")])
def test_the_first_row_that_holds_is_found(rows: list[Reach], places: list[tuple[str, str, str]]) -> None:
    index = RowIndex(rows)
    for place in places:
        assert index.first(*place) == one_after_the_other(rows, place), place


@settings(max_examples=examples(80), deadline=None)
@given(st.lists(REACHES, min_size=2, max_size=8), st.lists(PLACES, min_size=8, max_size=30))
def test_what_is_called_hidden_is_never_reached(rows: list[Reach], places: list[tuple[str, str, str]]) -> None:
    index = RowIndex(rows)
    for n in range(len(rows)):
        above = index.hiding(n)
        assert all(hider < n for hider in above)
        if above:
            assert n not in {one_after_the_other(rows, place) for place in places}, (rows[n], above)


@pytest.mark.parametrize(
    ("rows", "hidden"),
    [
        pytest.param([Reach(), Reach(frozenset({"PT"}))], {1: (0,)}, id="everywhere takes a country"),
        pytest.param([Reach(frozenset({"PT"})), Reach()], {}, id="a country leaves the others"),
        pytest.param(
            [Reach(frozenset({"PT"}), postcodes=(ends,)) for ends in ("1-5", "5-9", "3-7")],
            {2: (0, 1)},
            id="two halves take what lies over both",
        ),
        pytest.param(
            [Reach(frozenset({"PT"}), postcodes=(ends,)) for ends in ("1-4", "6-9", "3-7")], {}, id="a gap is left"
        ),
        pytest.param(
            [Reach(frozenset({"PT"}), postcodes=("10",)), Reach(frozenset({"PT"}), postcodes=("1",))],
            {},
            id="a narrower one leaves the rest",
        ),
        pytest.param(
            [Reach(frozenset({"PT"}), not_postcodes=("9",)), Reach(frozenset({"PT"}))],
            {},
            id="what is left out is left",
        ),
    ],
)
def test_which_rows_hide_which(rows: list[Reach], hidden: dict[int, tuple[int, ...]]) -> None:
    index = RowIndex(rows)
    assert {n: found for n in range(len(rows)) if (found := index.hiding(n))} == hidden
