"""Drop-off points: hours as they are written, how far, until when, and what is not taken."""

from __future__ import annotations

from datetime import date, time, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.pickups.hours import read_hours
from tidewind.core.pickups.points import DropOffPoint, distance_m, reach, read_point, read_spot, spot_text, too_much
from tidewind.core.pickups.taking import Waiting
from tidewind.core.quantities import Size

MONDAY = date(2026, 11, 23)
NINE, ONE, TWO, SEVEN, LAST = time(9), time(13), time(14), time(19), time(23, 59)


@pytest.mark.parametrize(
    ("text", "day", "holiday", "spans"),
    [
        ("Mo-Fr 09:00-19:00; Sa 09:00-13:00", 0, False, ((NINE, SEVEN),)),
        ("Mo-Fr 09:00-19:00; Sa 09:00-13:00", 5, False, ((NINE, ONE),)),
        ("Mo-Fr 09:00-19:00; Sa 09:00-13:00", 6, False, ()),
        ("Mo-Fr 09:00-13:00,14:00-19:00", 4, False, ((NINE, ONE), (TWO, SEVEN))),
        ("09:00-19:00; Mo off", 0, False, ()),  # a later rule holds for the days it names
        ("09:00-19:00; Mo off", 1, False, ((NINE, SEVEN),)),
        ("Mo-Fr 09:00-19:00; PH off", 1, True, ()),
        ("Mo-Fr 09:00-19:00", 1, True, ((NINE, SEVEN),)),  # nothing is said of holidays
        ("PH 09:00-13:00", 1, True, ((NINE, ONE),)),
        ("24/7", 6, True, ((time(0), LAST),)),
        ("Sa-Mo 09:00-13:00", 6, False, ((NINE, ONE),)),
        ("Sa-Mo 09:00-13:00", 1, False, ()),
        ("Mo, We 22:00-02:00", 2, False, ((time(22), LAST),)),
    ],
)
def test_hours(text: str, day: int, holiday: bool, spans: tuple[object, ...]) -> None:
    hours = read_hours(text)
    assert hours is not None
    assert hours.on(MONDAY + timedelta(days=day), holiday) == spans


@pytest.mark.parametrize(
    "text", ["Mo-Fr", "Mo-Fr 9-19", "Xx 09:00-10:00", "Mo 25:00-26:00", "mornings", "Mo 09:00 19:00"]
)
def test_what_are_no_hours_is_said(text: str) -> None:
    if text == "Mo-Fr":
        assert read_hours(text) is not None  # days without hours are whole days, as the wiki has it
        return
    with pytest.raises(ValueError, match=r"hours|day|span"):
        read_hours(text)


@pytest.mark.parametrize(
    ("at", "full", "closes", "refused"),
    [
        (None, False, SEVEN, ""),
        (time(18, 59), False, SEVEN, ""),
        (SEVEN, False, None, "it is closed for today"),
        (time(13, 30), False, SEVEN, ""),
        (None, True, None, "it is full"),
    ],
)
def test_until_when_a_point_takes_parcels_in(at: time | None, full: bool, closes: time | None, refused: str) -> None:
    point = DropOffPoint(
        "A", "Corner", "shop", "", "", "Aveiro", "PT", None, "Mo-Fr 09:00-13:00,14:00-19:00", full=full
    )
    reached = reach(point, None, MONDAY, False, at)
    assert (reached.closes, reached.refused, reached.distance_m) == (closes, refused, None)
    assert reached.opens == {None: NINE, time(13, 30): TWO}.get(at) or full


def test_distances_are_those_of_the_globe() -> None:
    # Quarter of a meridian, a degree of it, and nothing: of a sphere of 6,371.009 km.
    assert distance_m((0, 0), (90_000_000, 0)) == 10_007_558
    assert distance_m((40_000_000, -8_000_000), (41_000_000, -8_000_000)) == 111_195
    assert distance_m((0, 179_500_000), (0, -179_500_000)) == 111_195  # over the date line
    assert distance_m((40_638_600, -8_651_300), (40_638_600, -8_651_300)) == 0


@given(st.integers(-90_000_000, 90_000_000), st.integers(-180_000_000, 180_000_000))
def test_places_on_earth_survive_being_written(latitude: int, longitude: int) -> None:
    first, _, second = spot_text((latitude, longitude)).partition(", ")
    assert read_spot(first, second) == (latitude, longitude)


def test_rows_of_a_file_are_read_exactly_and_their_faults_said() -> None:
    row = {"code": "A1", "name": " Corner  shop ", "city": "Aveiro", "heaviest_kg": "2,5", "longest_cm": "60.5"}
    point = read_point(row | {"latitude": "40.6405", "longitude": "-8.65381234", "full": "yes"})
    assert (point.name, point.heaviest_g, point.longest_mm, point.full) == ("Corner shop", 2_500, 605, True)
    assert point.spot == (40_640_500, -8_653_812)
    for change, words in (
        ({"code": ""}, "has no code"),
        ({"kind": "tree"}, "has the kind “tree”"),
        ({"heaviest_kg": "much"}, "no figure"),
        ({"latitude": "91", "longitude": "0"}, "91 is no latitude"),
        ({"latitude": "40.1"}, "is no longitude"),
        ({"hours": "mornings"}, "no opening hours"),
    ):
        with pytest.raises(ValueError, match=words):
            read_point(row | change)
    heavy, long = Waiting("LL-1", "s", "S", 2_501), Waiting("LL-2", "s", "S", 9, Size.of(606, 10, 10))
    fits = Waiting("LL-3", "s", "S", 2_500, Size.of(605, 10, 10))
    assert [number for number, _ in too_much(point, [heavy, long, fits])] == ["LL-1", "LL-2"]
