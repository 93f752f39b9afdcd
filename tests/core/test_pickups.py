"""When a van comes, what it takes along, what that costs: worked cases to the second, and rules that hold for any."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from importlib import resources
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.calendar import is_working_day
from tidewind.core.pickups.rules import PickupRules
from tidewind.core.pickups.taking import Waiting, pickup_fee, taken_along
from tidewind.core.pickups.when import (
    Where,
    ask_until,
    change_until,
    days_offered,
    refusal_for,
    served,
    window_refusal,
)
from tidewind.core.quantities import Size
from tidewind.core.tariffs.card import RateCard
from tidewind.core.tariffs.sheets import to_sheets
from tidewind.core.tariffs.sheets_read import read_sheets
from tidewind.core.tariffs.written import read_card, write_card

LISBON = Where("Europe/Lisbon", "PT", "3800-587")


def shipped(name: str) -> RateCard:
    text = resources.files("tidewind.data.cards").joinpath(f"{name}.json").read_text("utf-8")
    card = read_card(json.loads(text))
    assert isinstance(card, RateCard)
    return card


def rules_of(name: str, network: str) -> PickupRules:
    found = next(n.pickup for n in shipped(name).networks if n.id == network)
    assert found is not None
    return found


POST = rules_of("norvia-2026-06", "post")
ROAD = rules_of("brightmile-2026-07", "road")
AIR = rules_of("cobaltair-2026-01", "air")


def at(*when: int, zone: str = "Europe/Lisbon") -> datetime:
    return datetime(*when, tzinfo=ZoneInfo(zone))  # type: ignore[arg-type, misc]


@pytest.mark.parametrize(
    ("rules", "asked", "first"),
    [
        (POST, at(2026, 11, 24, 0, 30), date(2026, 11, 24)),  # the same night
        (POST, at(2026, 11, 24, 0, 45, 0, 999_999), date(2026, 11, 24)),  # the second is in to its end
        (POST, at(2026, 11, 24, 0, 45, 1), date(2026, 11, 25)),
        (POST, at(2026, 11, 30, 10, 0), date(2026, 12, 2)),  # 1 December is a holiday
        (POST, at(2026, 12, 7, 10, 0), date(2026, 12, 9)),  # and so is 8 December
        (POST, at(2026, 11, 24, 1, 30, zone="Europe/Madrid"), date(2026, 11, 24)),  # 00:30 on the carrier's clock
        (ROAD, at(2026, 11, 24, 12, 59), date(2026, 11, 24)),
        (ROAD, at(2026, 11, 24, 13, 0, 0), date(2026, 11, 24)),
        (ROAD, at(2026, 11, 24, 13, 0, 1), date(2026, 11, 25)),
        (ROAD, at(2026, 11, 27, 14, 0), date(2026, 11, 30)),  # over the weekend
        (ROAD, at(2026, 10, 25, 1, 30, zone="UTC"), date(2026, 10, 26)),  # the hour that comes twice
        (replace(POST, ask_until=time(1, 30)), at(2026, 3, 29, 2, 10), date(2026, 3, 30)),  # the hour that is left out
        (replace(ROAD, days_before=1, ask_until=time(18, 0)), at(2026, 11, 24, 18, 0), date(2026, 11, 25)),
        (replace(ROAD, days_before=1, ask_until=time(18, 0)), at(2026, 11, 24, 18, 0, 1), date(2026, 11, 26)),
        (replace(ROAD, days_before=2), at(2026, 11, 27, 9, 0), date(2026, 12, 2)),  # Mon, then the holiday, then Wed
        (replace(ROAD, weekdays=frozenset({5})), at(2026, 11, 24, 9, 0), date(2026, 11, 28)),
        (replace(ROAD, least_ahead=2), at(2026, 11, 24, 9, 0), date(2026, 11, 26)),
    ],
)
def test_the_first_day_for_which_a_van_can_still_be_asked(rules: PickupRules, asked: datetime, first: date) -> None:
    assert days_offered(asked, rules, LISBON)[0] == first


@pytest.mark.parametrize(
    ("day", "rules", "where", "reason"),
    [
        (date(2026, 11, 23), ROAD, LISBON, "past"),
        (date(2026, 11, 24), ROAD, LISBON, "too_late"),
        (date(2026, 11, 28), ROAD, LISBON, "weekday"),
        (date(2026, 12, 1), ROAD, LISBON, "holiday"),
        (date(2026, 12, 3), ROAD, LISBON, "too_far"),  # five working days ahead is the 2nd
        (date(2026, 12, 2), ROAD, LISBON, None),
        (date(2026, 11, 25), ROAD, replace(LISBON, closed=((date(2026, 11, 25), date(2026, 11, 26)),)), "closed"),
        (date(2026, 11, 25), replace(ROAD, postcodes=("38", "4700")), LISBON, None),
        (date(2026, 11, 25), replace(ROAD, postcodes=("47",)), LISBON, "not_served"),
        (date(2026, 11, 25), replace(ROAD, least_ahead=2), LISBON, "too_soon"),
        (date(2026, 11, 30), ROAD, replace(LISBON, place="GB-SCT", zone="Europe/London"), "holiday"),  # Saint Andrew
        (date(2026, 11, 30), ROAD, replace(LISBON, place="GB-ENG", zone="Europe/London"), None),
    ],
)
def test_why_a_day_cannot_be_asked_for(day: date, rules: PickupRules, where: Where, reason: str | None) -> None:
    why = refusal_for(day, at(2026, 11, 24, 14, 0), rules, where)
    assert (why.reason if why else None) == reason


@pytest.mark.parametrize(
    ("start", "end", "rules", "reason"),
    [
        (time(15), time(17), ROAD, None),
        (time(15), time(16, 59), ROAD, "too_narrow"),
        (time(16), time(16), ROAD, None),
        (time(16), time(16), AIR, "no_exact_hour"),
        (time(16), time(17, 29), AIR, "too_narrow"),
        (time(16), time(17, 30), AIR, None),
        (time(17), time(15), ROAD, "backwards"),
        (time(7, 59), time(12), ROAD, "out_of_hours"),
        (time(15), time(18, 1), ROAD, "out_of_hours"),
        (time(9), time(9, 5), POST, None),  # a regular round asks for no window
    ],
)
def test_windows(start: time, end: time, rules: PickupRules, reason: str | None) -> None:
    why = window_refusal(start, end, rules)
    assert (why.reason if why else None) == reason


def test_fees_and_the_last_moment_to_change() -> None:
    tuesday, saturday = date(2026, 11, 24), date(2026, 11, 28)
    assert [pickup_fee(n, tuesday, exact_hour=False, rules=ROAD) for n in (1, 12, 40)] == [420, 420, 420]
    assert pickup_fee(12, tuesday, exact_hour=True, rules=ROAD) == 1_320
    each = replace(ROAD, fee_per="parcel", fee=35, saturday_fee=500)
    assert (
        pickup_fee(12, tuesday, exact_hour=False, rules=each),
        pickup_fee(2, saturday, exact_hour=False, rules=each),
    ) == (420, 570)
    assert pickup_fee(9, tuesday, exact_hour=False, rules=POST) == 0
    assert change_until(tuesday, time(15), ROAD, LISBON) == at(2026, 11, 24, 14, 30)
    late = replace(ROAD, change_until_min=180)
    assert change_until(date(2026, 3, 29), time(3), late, LISBON) == at(2026, 3, 28, 23, 0)  # an hour is left out


def waiting(service: str, gross_g: int = 900, count: int = 1, sides: Size | None = None) -> list[Waiting]:
    return [
        Waiting(f"{service}-{n}", service, service.removeprefix("np-").title(), gross_g, sides) for n in range(count)
    ]


def test_letters_and_economy_come_along_but_are_not_fetched_alone() -> None:
    alone = [*waiting("np-letter", count=3), *waiting("np-economy", count=2)]
    none = taken_along(alone, POST)
    assert none.refused is not None
    assert none.refused.detail.startswith(
        "Economy and Letter alone are not fetched; take them to a counter, or send one"
    )
    assert (none.going, len(none.left)) == ((), 5)
    assert len(taken_along([*alone, *waiting("np-registered")], POST).going) == 6
    assert taken_along([], POST).refused is None


def test_what_is_too_much_stays_and_the_rest_goes() -> None:
    found = taken_along([*waiting("bm-std", count=11), *waiting("bm-std", 32_000)], ROAD)
    assert (len(found.going), [why for _, why in found.left]) == (11, ["500 g over 31.5 kg"])
    few = replace(ROAD, most_parcels=2, most_gross_g=1_700, parcel_sides=Size.of(600, 400, 300), not_fetched=("x",))
    long = waiting("a", sides=Size.of(655, 100, 100))
    found = taken_along(
        [*long, *waiting("x"), *waiting("b", 800), *waiting("c", 901), *waiting("d", 900), *waiting("e", 1)], few
    )
    assert [why for _, why in found.left] == [
        "5.5 cm over 60 cm",
        "X is not fetched",
        "1.7 kg at most in all",
        "2 parcels at most",
    ]


ANY_RULES = st.builds(
    PickupRules,
    ask_until=st.times().map(lambda t: t.replace(microsecond=0)),
    days_before=st.integers(0, 2),
    least_ahead=st.integers(0, 2),
    most_ahead=st.integers(2, 8),
    weekdays=st.frozensets(st.integers(0, 5), min_size=1),
)
MOMENTS = st.integers(0, 2 * 365 * 86_400).map(
    lambda seconds: datetime(2026, 1, 1, tzinfo=UTC) + timedelta(seconds=seconds)
)


@given(rules=ANY_RULES, asked=MOMENTS, zone=st.sampled_from(["Europe/Lisbon", "America/New_York", "Asia/Tokyo"]))
def test_a_day_offered_is_never_past_never_unserved_and_never_too_late(
    rules: PickupRules, asked: datetime, zone: str
) -> None:
    where = Where(zone, {"Europe/Lisbon": "PT", "America/New_York": "US", "Asia/Tokyo": "JP"}[zone])
    today = asked.astimezone(ZoneInfo(zone)).date()
    days = days_offered(asked, rules, where)
    assert list(days) == sorted(set(days))
    for day in days:
        assert day >= today
        assert day.weekday() in rules.weekdays
        assert is_working_day(day, where.place, saturdays=True)
        assert asked <= ask_until(day, rules, where)
        between = [today + timedelta(n) for n in range(1, (day - today).days + 1)]
        ahead = sum(served(one, rules, where) is None for one in between)
        assert rules.least_ahead <= ahead <= rules.most_ahead
    if days:  # a second later nothing is offered that was not before, unless the day itself has turned
        later = days_offered(asked + timedelta(seconds=1), rules, where)
        turned = (asked + timedelta(seconds=1)).astimezone(ZoneInfo(zone)).date() != today
        assert turned or set(later) <= set(days)


@given(rules=ANY_RULES, size=st.none() | st.just(Size.of(600, 400, 300)), fee=st.integers(0, 5_000))
def test_rules_survive_their_written_form_and_the_tables(rules: PickupRules, size: Size | None, fee: int) -> None:
    card = shipped("norvia-2026-06")
    rules = replace(
        rules, ask_until=rules.ask_until.replace(second=0), parcel_sides=size, fee=fee, not_alone=("np-letter",)
    )
    other = replace(card, networks=(replace(card.networks[0], pickup=rules),))
    assert read_card(json.loads(json.dumps(write_card(other)))) == other
    assert read_sheets(to_sheets(write_card(other))) == other


def test_cards_of_before_said_only_until_when() -> None:
    written = write_card(shipped("norvia-2026-06"))
    written["networks"] = [{"id": "post", "name": "Post", "cutoff": "16:30", "ask_pickup_until": "00:45"}]
    card = read_card(written)
    assert isinstance(card, RateCard)
    assert card.networks[0].pickup == PickupRules(time(0, 45))
