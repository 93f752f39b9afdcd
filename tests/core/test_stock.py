"""What is left to sell is what was counted less what orders took since, whichever way they took it."""

from __future__ import annotations

from collections import Counter

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.stock import base_of, in_parts, left_to_sell, levels, read_parts

SETS = {
    sku: read_parts(written)
    for sku, written in {
        "SET": ["FORK", "TROWEL"],
        "PAIR": ["2x FORK"],
        "GIFT": ["SET", "CARD"],
        "ROUND": ["ROUND", "FORK"],
    }.items()
}


@pytest.mark.parametrize(
    ("ordered", "taken"),
    [
        pytest.param({"FORK": 3}, {"FORK": 3}, id="no set"),
        pytest.param({"SET": 2}, {"SET": 2, "FORK": 2, "TROWEL": 2}, id="a set takes its parts and itself"),
        pytest.param({"PAIR": 2, "FORK": 1}, {"PAIR": 2, "FORK": 5}, id="two of a kind in one set"),
        pytest.param({"GIFT": 1}, {"GIFT": 1, "SET": 1, "FORK": 1, "TROWEL": 1, "CARD": 1}, id="a set in a set"),
        pytest.param({"ROUND": 4}, {"ROUND": 4, "FORK": 4}, id="a set that names itself"),
        pytest.param({}, {}, id="nothing"),
    ],
)
def test_sets_take_what_they_are_made_of(ordered: dict[str, int], taken: dict[str, int]) -> None:
    assert in_parts(ordered, SETS) == taken


@pytest.mark.parametrize(
    ("counted", "taken", "back", "left"),
    [
        pytest.param({"FORK": 10}, {"FORK": 4}, {}, {"FORK": 6, "PAIR": 3, "ROUND": 6}, id="what was ordered is gone"),
        pytest.param({"FORK": 1}, {"FORK": 4}, {}, {"FORK": -3, "PAIR": -2, "ROUND": -3}, id="sold beyond the shelf"),
        pytest.param({"FORK": 9}, {"PAIR": 3}, {"PAIR": 1}, {"FORK": 5, "PAIR": 2, "ROUND": 5}, id="a pair came back"),
        pytest.param(
            {"FORK": 9, "TROWEL": 2}, {}, {}, {"FORK": 9, "TROWEL": 2, "SET": 2, "PAIR": 4, "ROUND": 9}, id="a set"
        ),
        pytest.param({"FORK": 9, "PAIR": 1}, {}, {}, {"FORK": 9, "PAIR": 1, "ROUND": 9}, id="a set packed beforehand"),
        pytest.param({"TROWEL": 5}, {"FORK": 2}, {}, {"TROWEL": 5}, id="what was never counted is not told"),
    ],
)
def test_levels(counted: dict[str, int], taken: dict[str, int], back: dict[str, int], left: dict[str, int]) -> None:
    assert levels(counted, taken, back, SETS) == left


@given(
    st.lists(st.tuples(st.sampled_from(["take", "cancel", "back", "count", "told"]), st.integers(0, 9)), max_size=60)
)
def test_a_shelf_beside_it_says_the_same(deeds: list[tuple[str, int]]) -> None:
    """An own small book, written as it happens: pieces on the shelf that nobody has bought."""
    taken = back = shelf = base = 0
    for deed, many in deeds:
        if deed == "take":
            taken, shelf = taken + many, shelf - many
        elif deed == "cancel":
            gone = min(many, taken)
            taken, shelf = taken - gone, shelf + gone
        elif deed == "back":
            back, shelf = back + many, shelf + many
        else:
            base, shelf = base_of(many, taken=taken, put_back=back), many
        assert left_to_sell(base, taken=taken, put_back=back) == shelf


@pytest.mark.parametrize(
    ("written", "read"),
    [
        ("FORK", ("FORK", 1)),
        ("2x FORK", ("FORK", 2)),
        ("12 × HF 02", ("HF 02", 12)),
        ("2xl", ("2xl", 1)),
        ("0x F", ("0x F", 1)),
    ],
)
def test_parts_are_read_as_they_are_written(written: str, read: tuple[str, int]) -> None:
    assert read_parts([written]) == [read]


@given(st.dictionaries(st.sampled_from([*SETS, "FORK", "TROWEL", "CARD"]), st.integers(0, 50)))
def test_the_order_of_opening_sets_does_not_matter(ordered: dict[str, int]) -> None:
    one_by_one: Counter[str] = Counter()
    for sku, many in ordered.items():
        one_by_one.update(in_parts({sku: many}, SETS))
    assert {k: v for k, v in one_by_one.items() if v} == {k: v for k, v in in_parts(ordered, SETS).items() if v}
