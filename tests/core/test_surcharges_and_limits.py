"""What a surcharge comes to, what it waits for, and what a service refuses, to the last gram and cent."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime, time
from itertools import pairwise, permutations
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.consignments import Parcel
from tidewind.core.pickups.asked import Window, leaves_by, usual_window, wish_refusal
from tidewind.core.pickups.rules import PickupRules
from tidewind.core.pickups.when import Where
from tidewind.core.quantities import Size
from tidewind.core.tariffs.amounts import NEVER, amount_of, in_order_of_need, may_hold, thresholds
from tidewind.core.tariffs.card import Amount, Limits, Surcharge, When
from tidewind.core.tariffs.limits import narrowed, parcel_refusal

MONDAY = date(2026, 11, 23)


@pytest.mark.parametrize(
    ("rule", "billable", "value", "comes_to"),
    [
        pytest.param(Amount("fixed", 190), 9_999, 0, 190, id="fixed, whatever it weighs"),
        pytest.param(Amount("percent", 1250), 0, 0, 125, id="12.5 % of 10.00 at the base"),
        pytest.param(Amount("percent", 1250, of=("base", "fuel")), 0, 0, 150, id="of the base and of another one"),
        pytest.param(Amount("percent", 1250, of=("nothing",)), 0, 0, 0, id="of what is not there"),
        pytest.param(Amount("percent", 5, of=("base",)), 0, 0, 1, id="half a cent is rounded up"),
        pytest.param(Amount("per_kg", 30), 1, 0, 30, id="a gram begins a kilogram"),
        pytest.param(Amount("per_kg", 30), 1_000, 0, 30, id="one kilogram"),
        pytest.param(Amount("per_kg", 30), 1_001, 0, 60, id="and a gram more"),
        pytest.param(Amount("per_value_step", 100, step=10_000, included=50_000), 0, 50_000, 0, id="what is included"),
        pytest.param(Amount("per_value_step", 100, step=10_000, included=50_000), 0, 50_001, 100, id="a cent more"),
        pytest.param(Amount("per_value_step", 100, step=10_000, included=50_000), 0, 70_000, 200, id="two steps"),
        pytest.param(Amount("percent", 100, minimum=200), 0, 0, 200, id="at least"),
        pytest.param(Amount("percent", 9_000, cap=500), 0, 0, 500, id="at most"),
        pytest.param(Amount("percent", 100, minimum=600, cap=500), 0, 0, 500, id="the most wins over the least"),
        pytest.param(Amount("percent", 2_000, minimum=200), 0, 0, 200, id="just the least is not raised to it"),
    ],
)
def test_what_a_surcharge_comes_to(rule: Amount, billable: int, value: int, comes_to: int) -> None:
    assert amount_of(rule, billable, value, {"base": 1_000, "fuel": 200})[0] == comes_to


@given(st.integers(0, 90_000), st.integers(0, 90_000), st.integers(0, 500))
def test_more_weight_never_costs_less(one: int, other: int, figure: int) -> None:
    light, heavy = sorted((one, other))
    rule = Amount("per_kg", figure, minimum=figure // 2, cap=figure * 40)
    assert amount_of(rule, light, 0, {})[0] <= amount_of(rule, heavy, 0, {})[0]


@pytest.mark.parametrize(
    ("when", "zone", "places", "home", "on", "holds"),
    [
        pytest.param(When(), "A", set(), True, MONDAY, True, id="nothing is asked"),
        pytest.param(When(home=True), "A", set(), False, MONDAY, False, id="homes alone"),
        pytest.param(When(home=False), "A", set(), False, MONDAY, True, id="businesses alone"),
        pytest.param(When(zones=frozenset("BC")), "A", set(), True, MONDAY, False, id="another zone"),
        pytest.param(When(weekdays=frozenset({5})), "A", set(), True, date(2026, 11, 28), True, id="on Saturday"),
        pytest.param(When(weekdays=frozenset({5})), "A", set(), True, MONDAY, False, id="not on Monday"),
        pytest.param(When(ship_from=MONDAY), "A", set(), True, MONDAY, True, id="on its first day"),
        pytest.param(When(ship_from=date(2026, 11, 24)), "A", set(), True, MONDAY, False, id="the day before"),
        pytest.param(When(ship_until=MONDAY), "A", set(), True, MONDAY, True, id="on its last day"),
        pytest.param(When(ship_until=date(2026, 11, 22)), "A", set(), True, MONDAY, False, id="the day after"),
    ],
)
def test_whether_a_surcharge_can_hold(
    when: When, zone: str, places: set[str], home: bool, on: date, holds: bool
) -> None:
    assert may_hold(Surcharge("x", "X", Amount("fixed", 1), when), zone, frozenset(places), home, on) is holds


def test_what_is_not_asked_is_above_every_figure() -> None:
    assert set(thresholds(When())) == {NEVER}
    asked = When(gross_over_g=10, volume_over_cm3=2)
    assert [limit for limit in thresholds(asked) if limit < NEVER] == [10, 2_000]  # mm³ of two cubic centimetres


def surcharge(code: str, *of: str) -> Surcharge:
    return Surcharge(code, code, Amount("percent", 100, of=of) if of else Amount("fixed", 1))


def test_a_percentage_stands_behind_all_that_it_is_of_in_whatever_order_they_are_written() -> None:
    four = (surcharge("a"), surcharge("b", "a", "base"), surcharge("c", "b"), surcharge("d", "a", "c", "list"))
    for written in permutations(four):
        placed = [s.code for s in in_order_of_need(written)]
        assert sorted(placed) == ["a", "b", "c", "d"]
        assert placed.index("a") < placed.index("b") < placed.index("c") < placed.index("d")


@pytest.mark.parametrize(
    "circle",
    [("a", "a"), ("a", "b", "a"), ("a", "b", "c", "a")],
    ids=["of itself", "of each other", "by way of a third"],
)
def test_a_circle_is_named(circle: tuple[str, ...]) -> None:
    rules = [surcharge(code, of) for code, of in pairwise(circle)]
    with pytest.raises(ValueError, match=" → ".join(circle)):
        in_order_of_need(rules)


BOX = Parcel(5_000, Size.of(400, 300, 200))


@pytest.mark.parametrize(
    ("limits", "code", "words"),
    [
        pytest.param(Limits(), None, "", id="no limit"),
        pytest.param(Limits(gross_g=5_000), None, "", id="just as heavy"),
        pytest.param(Limits(gross_g=4_999), "too_heavy", "1 g over", id="a gram over"),
        pytest.param(Limits(sides=Size.of(200, 400, 300)), None, "", id="just as large, sides in any order"),
        pytest.param(Limits(sides=Size.of(399, 399, 399)), "too_large", "0.1 cm too long", id="a millimetre too long"),
        pytest.param(Limits(sides=Size.of(900, 299, 299)), "too_large", "0.1 cm too wide", id="too wide"),
        pytest.param(Limits(sides=Size.of(900, 900, 199)), "too_large", "0.1 cm too thick", id="too thick"),
        pytest.param(Limits(girth_mm=1_400), None, "", id="length plus girth just right"),
        pytest.param(Limits(girth_mm=1_399), "too_large", "length plus girth 0.1 cm over", id="and a millimetre over"),
        pytest.param(Limits(least_sides=Size.of(400, 300, 200)), None, "", id="just as small as may be"),
        pytest.param(Limits(least_sides=Size.of(401, 300, 200)), "too_small", "0.1 cm too short", id="too short"),
        pytest.param(Limits(least_sides=Size.of(400, 300, 201)), "too_small", "0.1 cm too thin", id="too thin"),
    ],
)
def test_a_parcel_at_each_limit(limits: Limits, code: str | None, words: str) -> None:
    refused = parcel_refusal(BOX, limits)
    assert (refused.reason if refused else None) == code
    assert refused is None or words in refused.detail


FIGURES = st.one_of(st.none(), st.integers(1, 9))
SIDES = st.one_of(st.none(), st.builds(Size.of, *[st.integers(1, 9)] * 3))
LIMITS = st.builds(
    Limits,
    gross_g=FIGURES,
    sides=SIDES,
    girth_mm=FIGURES,
    value=FIGURES,
    parcels=FIGURES,
    refused_contents=st.frozensets(st.sampled_from(["lithium", "dry_ice"])),
)


@given(LIMITS, LIMITS, st.builds(Size.of, *[st.integers(1, 9)] * 3), st.integers(1, 9))
def test_narrowed_limits_take_what_both_take(one: Limits, other: Limits, size: Size, gross_g: int) -> None:
    parcel, both = Parcel(gross_g, size), narrowed(one, other)
    takes = parcel_refusal(parcel, one) is None and parcel_refusal(parcel, other) is None
    # Of sides the smallest of each is kept: a parcel that both take lies inside of it, whichever way it is turned.
    assert not takes or parcel_refusal(parcel, both) is None
    assert takes or parcel_refusal(parcel, both) is not None
    assert both.refused_contents == one.refused_contents | other.refused_contents
    assert narrowed(one, None) == one


SPAN = PickupRules(ask_until=time(15), opens=time(9), closes=time(18), least_span_min=120)
LISBON = Where("Europe/Lisbon", "PT")


def at(hour: int, minute: int = 0, day: int = 23) -> datetime:
    return datetime(2026, 11, day, hour, minute, tzinfo=ZoneInfo("Europe/Lisbon")).astimezone(UTC)


@pytest.mark.parametrize(
    ("change", "asked", "cutoff", "window"),
    [
        pytest.param({}, at(8), time(15), (time(15), time(17)), id="begins at the cut-off"),
        pytest.param({}, at(8), time(17), (time(16), time(18)), id="early enough to end when the van stops"),
        pytest.param({}, at(8), time(7), (time(9), time(11)), id="not before the van begins"),
        pytest.param({}, at(15, 1), time(15), (time(15, 15), time(17, 15)), id="at the next quarter of an hour"),
        pytest.param({}, at(15, 15), time(15), (time(15, 30), time(17, 30)), id="on a quarter it is the next one"),
        pytest.param({}, at(15, 1, day=22), time(15), (time(15), time(17)), id="asked the day before"),
        pytest.param(
            {"least_span_min": 0}, at(8), time(15), (time(9), time(18)), id="a regular round has its own hours"
        ),
    ],
)
def test_the_window_that_is_suggested(
    change: dict[str, Any], asked: datetime, cutoff: time, window: tuple[time, time]
) -> None:
    rules = replace(SPAN, **change)
    found = usual_window(cutoff, MONDAY, asked, rules, LISBON)
    assert (found.start, found.until) == window
    assert found.exact is False
    assert leaves_by(cutoff, found, rules) == (min(cutoff, found.start) if rules.least_span_min else cutoff)


@pytest.mark.parametrize(
    ("window", "asked", "reason"),
    [
        pytest.param(Window(time(14), time(16)), at(13, 59), None, id="a minute before it begins"),
        pytest.param(Window(time(14), time(16)), at(14), None, id="as it begins"),
        pytest.param(Window(time(14), time(16)), at(14, 1), "begun", id="a minute after"),
        pytest.param(Window(time(14), time(15, 59)), at(8), "too_narrow", id="a minute too short"),
    ],
)
def test_a_window_that_somebody_wishes(window: Window, asked: datetime, reason: str | None) -> None:
    refused = wish_refusal(MONDAY, window, asked, SPAN, LISBON)
    assert (refused.reason if refused else None) == reason
