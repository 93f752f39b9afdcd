"""Where towns lie, and the way between them as a drawing: on the sphere, over the date line, and never outside of it."""

from __future__ import annotations

import itertools
import re
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as some

from tidewind.core.earth import HEIGHT, WIDTH, Stop, drawn, spot_of
from tidewind.core.earth.land import borders_in, coasts_in
from tidewind.core.pickups.points import Spot, distance_m


@pytest.mark.parametrize(
    ("town", "countries", "near"),
    [
        ("Porto", ["PT"], (41_150_000, -8_610_000)),
        ("Lisboa", ["PT"], (38_720_000, -9_140_000)),  # the list calls it otherwise
        ("KÖLN, DE", ["PT"], (50_940_000, 6_960_000)),
        ("Wien", ["PT", "AT"], (48_210_000, 16_370_000)),
        ("Viseu", ["PT", "BR"], (40_660_000, -7_910_000)),
        ("Viseu", ["BR"], (-1_200_000, -46_140_000)),
        ("Porto, Maia", ["PT"], (41_150_000, -8_610_000)),  # what stands behind is no country
        ("Ponta Delgada", ["PT"], (37_740_000, -25_670_000)),
        ("Viseu", ["NO"], None),
        ("Aldeia de Ninguém", ["PT"], None),
        ("", ["PT"], None),
        (",", [], None),
    ],
)
def test_a_town_lies_where_it_lies(town: str, countries: list[str], near: Spot | None) -> None:
    found = spot_of(town, countries)
    assert (found is None) == (near is None)
    if found and near:
        assert distance_m(found, near) < 5_000


def places(path: str) -> list[list[tuple[int, int]]]:
    """Read the lines of a path back: absolute points, worked out from its steps."""
    lines = []
    for x, y, steps in re.findall(r"M(-?\d+) (-?\d+)l([-\d ]*)", path):
        numbers = [int(n) for n in steps.split()]
        moves = itertools.accumulate(
            zip(numbers[::2], numbers[1::2], strict=True),
            lambda a, b: (a[0] + b[0], a[1] + b[1]),
            initial=(int(x), int(y)),
        )
        lines.append(list(moves))
    return lines


def way(*names: str, last: str = "goal") -> list[Stop]:
    kinds = ["home", *["seen"] * (len(names) - 2), last]
    made = []
    for name, kind in zip(names, kinds, strict=True):
        spot = spot_of(name, [])
        assert spot
        made.append(Stop(name[:-4], spot, kind))  # type: ignore[arg-type]
    return made


def test_the_way_is_the_shortest_and_runs_on_over_the_date_line() -> None:
    north = drawn(tuple(way("Braga, PT", "Osaka, JP")))
    assert north
    (line,) = places(north.ahead)
    assert (north.gone, min(y for _, y in line) < line[0][1] - 100) == ("", True)  # by the north, not along a latitude
    over = drawn(tuple(way("Tokyo, JP", "Honolulu, US", "Portland, US")))
    assert over
    (gone,), (ahead,) = places(over.gone), places(over.ahead)
    xs = [x for x, _ in gone + ahead]
    assert (xs == sorted(xs), gone[-1]) == (True, ahead[0])
    assert [mark.name for mark in over.marks] == ["Tokyo", "Honolulu", "Portland"]
    assert any(x > WIDTH / 2 for line in places(over.land) for x, _ in line)  # America stands there, too
    one_place = way("Braga, PT", "Porto, PT")[:1]
    assert (drawn(tuple(one_place)), drawn((*one_place, *one_place)), drawn(())) == (None, None, None)


def test_names_do_not_stand_on_each_other_and_what_counts_most_is_named() -> None:
    made = drawn(tuple(way("Braga, PT", "Porto, PT", "Osaka, JP")))
    assert made
    assert [mark.name for mark in made.marks] == ["Braga", "", "Osaka"]
    assert drawn(tuple(way("Braga, PT", "Porto, PT", last="now"))).marks[1].name == "Porto"  # type: ignore[union-attr]


spots = some.tuples(some.integers(-90_000_000, 90_000_000), some.integers(-180_000_000, 180_000_000))


@given(some.lists(spots, min_size=2, max_size=5, unique=True))
def test_whatever_the_way_it_lies_within_the_drawing_and_has_no_gap(found: list[Spot]) -> None:
    kinds = ["home", *["seen"] * (len(found) - 2), "goal"]
    made = drawn(tuple(Stop("x", spot, kind) for spot, kind in zip(found, kinds, strict=True)))  # type: ignore[arg-type]
    assert made
    lines = places(made.gone) + places(made.ahead)
    assert len(lines) == len(found) - 1
    for x, y in [point for line in lines for point in line] + [(m.x, m.y) for m in made.marks]:
        assert (0 <= x <= WIDTH, 0 <= y <= HEIGHT) == (True, True)
    assert all(before[-1] == after[0] for before, after in itertools.pairwise(lines))
    for x, y in [point for line in places(made.land) for point in line]:
        assert (-12 <= x <= WIDTH + 12, -12 <= y <= HEIGHT + 12) == (True, True)


# Geodesy of everybody's atlas: where the land ends in the west, and where two countries meet at a river's mouth.
WINDOW, SIZE = (-10.0, 36.5, -6.0, 44.0), (400.0, 750.0)


def flat(point: tuple[float, float]) -> tuple[float, float]:
    return (point[0] - WINDOW[0]) * 100, (WINDOW[3] - point[1]) * 100


@pytest.mark.parametrize(
    ("east", "north", "lines"),
    [(-9.50, 38.78, coasts_in), (-8.99, 37.02, coasts_in), (-8.87, 41.87, borders_in), (-7.41, 37.18, borders_in)],
)
def test_coasts_and_borders_lie_where_they_lie(east: float, north: float, lines: Any) -> None:
    x, y = flat((east, north))
    assert min(abs(px - x) + abs(py - y) for line in lines(WINDOW, flat, *SIZE) for px, py in line) < 20


def test_a_border_is_drawn_no_further_than_the_window() -> None:
    small, width, height = (-9.0, 41.0, -7.5, 42.5), 150.0, 150.0

    def closer(point: tuple[float, float]) -> tuple[float, float]:
        return (point[0] - small[0]) * 100, (small[3] - point[1]) * 100

    def far(point: tuple[float, float]) -> bool:
        return not (-10 <= point[0] <= width + 10 and -10 <= point[1] <= height + 10)

    lines = list(borders_in(small, closer, width, height))
    assert lines
    assert not [line for line in lines for one, other in pairwise(line) if far(one) and far(other)]
