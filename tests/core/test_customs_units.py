"""How much of an article goes, in the unit in which customs count it."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.customs.units import CustomsUnit, counted, pieces_text, unit_of


@pytest.mark.parametrize(
    ("code", "unit"),
    [
        pytest.param("6116.10", CustomsUnit.PAIR, id="knitted gloves"),
        pytest.param("64019200", CustomsUnit.PAIR, id="boots, with a country's own digits"),
        pytest.param("900490", CustomsUnit.PAIR, id="goggles stand out of a chapter counted by the piece"),
        pytest.param("900410", CustomsUnit.PIECE, id="sunglasses beside them"),
        pytest.param("820150", CustomsUnit.PIECE, id="shears"),
        pytest.param("0602.90", CustomsUnit.PIECE, id="live plants"),
        pytest.param("060110", CustomsUnit.KILOGRAM, id="bulbs beside them"),
        pytest.param("120930", CustomsUnit.KILOGRAM, id="seeds"),
        pytest.param("691200", CustomsUnit.KILOGRAM, id="pots"),
        pytest.param("", CustomsUnit.PIECE, id="no code yet"),
    ],
)
def test_the_unit_of_a_heading(code: str, unit: CustomsUnit) -> None:
    assert unit_of(code) is unit
    assert unit.code in {"H87", "PR", "KGM"}


@given(st.from_regex(r"[0-9]{6,10}", fullmatch=True), st.integers(1, 500), st.integers(0, 90_000))
def test_pieces_are_never_lost_and_weight_is_said_to_the_gram(code: str, pieces: int, net_g: int) -> None:
    found = counted(code, pieces, net_g)
    if found.unit is CustomsUnit.KILOGRAM:
        whole, _, rest = found.amount.partition(".")
        assert int(whole) * 1_000 + int(rest.ljust(3, "0") or 0) == net_g
    else:
        assert int(found.amount) == pieces
    assert unit_of(code[:4] + "." + code[4:]) is found.unit


def test_pairs_are_said_on_papers() -> None:
    assert [pieces_text("6116.10", n) for n in (1, 2)] == ["1 pair", "2 pairs"]
    assert [pieces_text(code, 3) for code in ("820150", "060110", "")] == ["3", "3", "3"]
