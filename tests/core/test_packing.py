"""Boxes by real fit: never a yes to what does not go in, the smallest that holds, several where one will not do."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.packing import MOST_PARCELS, Lot, Packaging, Unit, fits, pack, smallest, too_full
from tidewind.core.quantities import Refused, Size


def box(name: str, *inner: int, load: int = 20_000, own: int = 100, padding: int = 50) -> Packaging:
    return Packaging(name, name, (inner[0], inner[1], inner[2]), Size.of(*(s + 10 for s in inner)), own, padding, load)


def unit(*sides: int, weight: int = 100, line: str = "a", **more: bool) -> Unit:
    return Unit(line, (sides[0], sides[1], sides[2]), weight, **more)


S, M, L = box("S", 200, 150, 100), box("M", 300, 200, 150), box("L", 600, 400, 400)


@pytest.mark.parametrize(
    ("units", "into", "yes"),
    [
        ([unit(200, 150, 100)], S, True),
        ([unit(100, 200, 150)], S, True),  # turned
        ([unit(201, 150, 100)], S, False),
        ([unit(150, 100, 200, upright=True)], S, False),  # would fit lying, must stand
        ([unit(150, 200, 100, upright=True)], S, True),
        ([unit(100, 150, 100)] * 2, S, True),
        ([unit(100, 150, 101)] * 2, S, False),
        ([unit(100, 75, 100)] * 4, S, True),
        ([unit(100, 75, 100)] * 5, S, False),
        ([unit(200, 75, 50), unit(200, 75, 50), unit(100, 150, 50), unit(100, 150, 50)], S, True),
        ([unit(10, 10, 10, weight=20_000)], S, True),
        ([unit(10, 10, 10, weight=20_001)], S, False),
        ([unit(140, 140, 140)] * 2, box("cube", 200, 200, 200), False),  # by volume it would fit
    ],
)
def test_fit_at_its_boundaries(units: list[Unit], into: Packaging, yes: bool) -> None:
    assert fits(units, into) is yes


def test_the_smallest_box_that_holds_and_the_parts_of_the_weight() -> None:
    parcels = pack([unit(280, 100, 100, weight=700, line="x"), unit(50, 50, 50, weight=30, line="y")], [L, S, M])
    assert not isinstance(parcels, Refused)
    assert [p.packaging for p in parcels] == [M]
    assert (parcels[0].goods_g, parcels[0].packaging_g, parcels[0].padding_g, parcels[0].gross_g) == (730, 100, 50, 880)
    assert dict(parcels[0].contents) == {"x": 1, "y": 1}


def test_several_parcels_when_one_will_not_do_and_own_boxes_apart() -> None:
    parcels = pack([unit(500, 300, 300, line="big")] * 3 + [unit(900, 80, 80, line="tube", own_box=True)], [S, M, L])
    assert not isinstance(parcels, Refused)
    assert sorted(p.packaging.code if p.packaging else "own" for p in parcels) == ["L", "L", "L", "own"]
    assert sum(n for p in parcels for _, n in p.contents) == 4
    by_weight = pack([unit(100, 100, 100, weight=9000)] * 5, [L])
    assert not isinstance(by_weight, Refused)
    assert [p.goods_g for p in by_weight] == [18_000, 18_000, 9000]


def test_refusals() -> None:
    assert pack([unit(700, 10, 10, line="cane")], [S, M, L]) == Refused("nothing_fits", "cane")
    too_many = pack([unit(600, 400, 400)] * (MOST_PARCELS + 1), [L])
    assert isinstance(too_many, Refused)
    assert too_many.reason == "too_many_parcels"
    assert pack([unit(1, 1, 1)], []) == Refused("nothing_fits", "a")
    assert pack([], [S]) == ()


sides = st.integers(20, 400)
some_units = st.lists(
    st.builds(
        lambda a, b, c, w, line: Unit(line, (a, b, c), w),
        sides,
        sides,
        sides,
        st.integers(1, 6000),
        st.sampled_from("abc"),
    ),
    min_size=1,
    max_size=12,
)


@given(some_units)
def test_nothing_is_lost_no_box_is_overloaded_and_the_answer_is_always_the_same(units: list[Unit]) -> None:
    parcels = pack(units, [S, M, L])
    assert pack(list(units), [L, M, S]) == parcels
    if isinstance(parcels, Refused):
        assert any(smallest(Lot([u]), [S, M, L]) is None for u in units)
        return
    packed: dict[str, int] = {}
    for parcel in parcels:
        assert parcel.packaging is not None
        assert parcel.goods_g <= parcel.packaging.max_load_g
        assert parcel.fill_percent <= 100
        for line, n in parcel.contents:
            packed[line] = packed.get(line, 0) + n
    assert packed == {line: sum(1 for u in units if u.line == line) for line in {u.line for u in units}}
    assert sum(p.goods_g for p in parcels) == sum(u.weight_g for u in units)


CUBE = (110, 110, 110)
WIDE = Packaging("B", "Big", (590, 390, 390), Size.of(600, 400, 400), 500, 0, 10**7)


@pytest.mark.parametrize(("count", "yes"), [(40, True), (41, True), (45, True), (46, False), (90, False)], ids=str)
def test_many_pieces_are_never_said_to_fit_where_they_do_not(count: int, yes: bool) -> None:
    assert fits([Unit("1", CUBE, 10)] * count, WIDE) is yes
    parcels = pack([Unit("1", CUBE, 10)] * count, [WIDE])
    assert not isinstance(parcels, Refused)
    assert len(parcels) == -(-count // 45)
    assert sum(n for p in parcels for _, n in p.contents) == count


@given(st.lists(st.tuples(*[st.integers(20, 300)] * 3), min_size=1, max_size=4), st.integers(41, 120), st.booleans())
def test_a_yes_for_many_pieces_is_a_packing_that_volume_and_sides_allow(
    sides: list[tuple[int, int, int]], count: int, upright: bool
) -> None:
    units = [Unit("1", sides[n % len(sides)], 10, upright) for n in range(count)]
    if fits(units, WIDE):
        assert sum(u.mm3 for u in units) <= WIDE.mm3
        small = min(min(u.sides) for u in units)
        assert count <= (590 // small) * (390 // small) * (390 // small)


def test_more_pieces_than_can_be_packed_are_refused_with_the_figure_and_load_is_not_called_size() -> None:
    many = pack([Unit("1", (10, 10, 10), 1)] * 2_001, [WIDE])
    assert isinstance(many, Refused)
    assert many.detail == "2,001 pieces; up to 2,000 are packed by the program"
    light = replace(WIDE, max_load_g=5_000)
    heavy = pack([Unit("7", (10, 10, 10), 6_000)], [light])
    assert isinstance(heavy, Refused)
    assert (heavy.reason, heavy.detail) == ("too_heavy_for_boxes", "7")
    assert too_full(Lot([Unit("7", (10, 10, 10), 6_000)]), light) == "6 kg in it, Big carries 5 kg"
