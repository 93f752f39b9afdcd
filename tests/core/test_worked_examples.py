"""The worked examples that fix what the rules mean, by their numbers."""

from __future__ import annotations

from datetime import UTC, date, datetime, time

import pytest

from tests.core.builders import (
    BOX_L,
    BRIGHTMILE,
    MONDAY,
    NIGHT,
    NORVIA,
    NORVIA_DECEMBER,
    POST,
    POT,
    PUBLISHED_ROAD,
    ROAD,
    SHOP,
)
from tidewind.core import ledger
from tidewind.core.addresses.check import Address
from tidewind.core.calendar import Transit, arrival, ship_date_for
from tidewind.core.choosing import Choosable, Policy, Values, frontier, pick, value_hundredths
from tidewind.core.codes import gs1_check_digit, is_s10, is_sscc, s10_check_digit, s10_number, sscc
from tidewind.core.consignments import Consignment, Goods, Parcel, Route
from tidewind.core.insuring import OpenCover, insured, premium_in
from tidewind.core.order_facts import Hand, OrderFacts
from tidewind.core.planning import plan
from tidewind.core.quantities import Refused, Size
from tidewind.core.tariffs.card import card_in_force
from tidewind.core.tariffs.quote import Quote, explain
from tidewind.core.tariffs.weights import billable_g


def viseu(gross_g: int, *sides: int, home: bool = False, **more: object) -> Consignment:
    size = Size.of(sides[0], sides[1], sides[2])
    goods = Goods(**{k: v for k, v in more.items() if k in {"value", "contents"}})  # type: ignore[arg-type]
    extras = frozenset(more.get("extras", ()))  # type: ignore[call-overload]
    parcel = {k: v for k, v in more.items() if k in {"not_stackable", "packaging"}}
    return Consignment(Route("PT", "3500-108", home), goods, (Parcel(gross_g, size, **parcel),), extras)  # type: ignore[arg-type]


def amounts(quote: Quote | Refused) -> dict[str, int]:
    assert isinstance(quote, Quote), quote
    return {line.code: line.amount for line in quote.lines}


def test_1_a_road_parcel_line_by_line() -> None:
    quote = ROAD.quote("bp-road", viseu(2240, 400, 300, 200, home=True))
    assert amounts(quote) == {"base": 520, "discount": -62, "home": 70, "fuel": 82}
    assert isinstance(quote, Quote)
    assert (quote.net, quote.tax, quote.total, quote.billable_g) == (610, 140, 750, 2240)
    assert [explain(line, "EUR") for line in quote.lines] == [
        "Zone 2, mainland, to 3 kg",
        "−12 % of 5.20 EUR",
        "",
        "15.5 % of 5.28 EUR",
    ]


def test_2_a_big_light_bag_goes_over_the_end_of_the_table() -> None:
    quote = PUBLISHED_ROAD.quote("bp-road", viseu(3100, 700, 500, 400))
    assert isinstance(quote, Quote)
    assert (quote.billable_g, amounts(quote)["base"]) == (35_000, 1630)
    assert explain(quote.lines[0], "EUR") == "Zone 2, mainland, 30 kg 14.40 EUR + 5 × 0.38 EUR per started 1 kg"


def test_3_volumetric_weight_is_rounded_up_to_the_gram() -> None:
    from dataclasses import replace

    from tidewind.core.tariffs.card import Volumetric

    express = replace(BRIGHTMILE.services[0], volumetric=Volumetric(5000))
    parcel = Parcel(1260, Size.of(340, 270, 120))
    assert billable_g(parcel, express) == 2204
    assert billable_g(parcel, replace(express, round_up_g=500)) == 2500


def test_4_only_the_dearest_of_an_exclusive_group_counts() -> None:
    quote = PUBLISHED_ROAD.quote("bp-road", viseu(5000, 1200, 200, 200, not_stackable=True))
    assert isinstance(quote, Quote)
    assert (amounts(quote)["not_stackable"], amounts(quote)["long"]) == (650, 0)
    assert "4.00 EUR not counted" in explain(next(line for line in quote.lines if line.code == "long"), "EUR")


@pytest.mark.parametrize(("value", "cover"), [(43000, 360), (40000, 270), (40001, 360), (10000, 0), (10001, 90)])
def test_5_cover_by_started_steps_of_value(value: int, cover: int) -> None:
    quote = PUBLISHED_ROAD.quote("bp-road", viseu(1000, 300, 200, 100, value=value, extras=frozenset({"cover"})))
    assert amounts(quote)["cover"] == cover


def test_6_limits_name_the_figure_and_sides_are_compared_sorted() -> None:
    assert isinstance(ROAD.quote("bp-road", viseu(31_500, 400, 300, 200)), Quote)
    assert ROAD.quote("bp-road", viseu(31_501, 400, 300, 200)) == Refused("too_heavy", "1 g over 31.5 kg")
    assert Size.of(120, 640, 350).fits(Size.of(640, 380, 190))
    assert not Size.of(120, 640, 350).fits(Size.of(640, 380, 90))
    assert Size.of(120, 640, 350).girth_mm == 640 + 2 * (350 + 120)
    refused = ROAD.quote("bp-road", viseu(5000, 1890, 200, 200))
    assert refused == Refused("too_large", "14 cm too long")


def test_7_the_small_cube_is_a_row_of_its_own() -> None:
    dense = viseu(9000, 250, 200, 120)  # exactly 6 dm³
    assert amounts(POST.quote("np-cube", dense)) == {"base": 620}
    assert isinstance(POST.quote("np-parcel", dense), Quote)
    assert POST.quote("np-cube", viseu(10_001, 250, 200, 120)) == Refused("too_heavy", "1 g over 10 kg")


def test_8_the_card_by_ship_date_only_where_the_carrier_prices_so() -> None:
    from dataclasses import replace

    both = (NORVIA, NORVIA_DECEMBER)
    bought, shipped = date(2026, 12, 1), date(2026, 11, 30)
    assert card_in_force(both, bought, shipped) is NORVIA
    by_day = tuple(replace(c, priced_by_ship_date=False) for c in both)
    assert card_in_force(by_day, bought, shipped) == by_day[1]
    assert card_in_force(both, date(2026, 1, 1), date(2026, 1, 1)) is None


OPTIONS = [
    Choosable("Economy", 460, date(2026, 11, 30)),
    Choosable("Locker", 495, date(2026, 11, 26), 200),
    Choosable("Box 2", 540, date(2026, 11, 26), 600),
    Choosable("Road", 610, date(2026, 11, 25), 300),
    Choosable("Night", 784, date(2026, 11, 24), 200),
]


def test_9_choosing() -> None:
    promise = date(2026, 11, 26)
    worth = {o.key: value_hundredths(o, date(2026, 11, 24), Values(40, 250)) for o in OPTIONS}
    assert {k: worth[k] for k in ("Locker", "Box 2", "Road", "Night")} == {
        "Locker": 5_800_000,
        "Box 2": 6_350_000,
        "Road": 6_575_000,
        "Night": 7_890_000,
    }
    picked = {policy: (pick(OPTIONS, policy, promise) or OPTIONS[0]).key for policy in Policy}
    assert picked == {
        Policy.CHEAPEST: "Economy",
        Policy.FASTEST: "Night",
        Policy.BALANCED: "Locker",
        Policy.CHEAPEST_ON_PROMISE: "Locker",
        Policy.RANKING: "Economy",  # nothing is ranked: the cheapest
    }
    assert pick(OPTIONS, Policy.RANKING, promise, None, ["Ghost", "Night", "Road"]) == OPTIONS[4]
    without_locker = [o for o in OPTIONS if o.key != "Locker"]
    assert pick(without_locker, Policy.CHEAPEST_ON_PROMISE, promise) == OPTIONS[2]
    assert frontier(OPTIONS) == {"Economy", "Locker", "Road", "Night"}
    assert pick([], Policy.CHEAPEST) is None


def test_10_hand_wins_the_trail_keeps_what_it_overrode_and_replanning_changes_neither() -> None:
    to = Address(name="B. Amorim", street="Rua da Nogueira 14", city="Viseu", postcode="3500-108", country="PT")
    order = OrderFacts((POT,), to, promise=date(2026, 11, 24), hand=Hand(packaging="CTN-L", service="bp-night"))
    made = plan(order, SHOP)
    assert made.chosen is not None
    assert (made.chosen.name, made.parcels[0].packaging) == ("Night, by 12:00", BOX_L)
    assert [(s.layer, s.value) for s in made.trail["packaging"]] == [
        ("shop default", "Pot carton M"),
        ("by hand", "Carton L"),
    ]
    assert [s.layer for s in made.trail["service"]] == ["shop default", "by hand"]
    assert plan(order, SHOP) == made
    sea = plan(
        OrderFacts(
            (POT,),
            Address(name="C", street="Canada 5", city="Ponta Delgada", postcode="9500-321", country="PT"),
            promise=date(2026, 11, 24),
            hand=Hand(service="bp-sea"),
        ),
        SHOP,
    )
    assert sea.chosen is not None
    assert [(s.code, s.level) for s in sea.snags] == [("promise_missed", "warns")]
    night_to_the_islands = plan(
        OrderFacts(
            (POT,),
            Address(name="C", street="Canada 5", city="Ponta Delgada", postcode="9500-321", country="PT"),
            hand=Hand(service="bp-night"),
        ),
        SHOP,
    )
    assert night_to_the_islands.chosen is None
    assert night_to_the_islands.snags[0].code == "service_refused"


def test_13_cut_offs_weekends_and_changes_of_the_clock() -> None:
    for at, day in ((time(14, 12), 23), (time(15, 0, 0), 23), (time(15, 0, 1), 24)):
        ready = datetime.combine(MONDAY, at, UTC)  # Lisbon is on UTC in November
        left = ship_date_for(ready, NIGHT)
        assert left.day == day
        assert arrival(left, NIGHT, Transit(1, 1), "PT").latest.day == day + 1
    thursday_late = ship_date_for(datetime(2026, 11, 26, 15, 1, tzinfo=UTC), NIGHT)
    moss = arrival(thursday_late, NIGHT, Transit(1, 1), "PT", no_weekend=True)
    assert (thursday_late, moss.ship_date) == (date(2026, 11, 27), date(2026, 11, 30))
    assert moss.waits_because == "goods that must not spend a weekend on the way"
    for summer in (date(2026, 3, 30), date(2026, 10, 23)):  # WEST is UTC+1 on both working days around the changes
        assert ship_date_for(datetime.combine(summer, time(14, 0), UTC), NIGHT) == summer
    assert ship_date_for(datetime(2026, 10, 26, 15, 0, tzinfo=UTC), NIGHT) == date(2026, 10, 26)


def test_16_the_ledger_in_four_movements() -> None:
    books = ledger.apply({}, ledger.entry("top_up", 20_000))

    def after(kind: str, amount: int) -> tuple[int, int, int]:
        nonlocal books
        books = ledger.apply(books, ledger.entry(kind, amount))
        assert sum(books.values()) == 0
        return books["available"], books["available"] + books["held"], books["expected"]

    assert after("hold", 610) == (19_390, 20_000, 0)
    assert after("charge", 610) == (19_390, 19_390, 0)
    assert after("void_asked", 610) == (19_390, 19_390, 610)
    assert after("refund", 610) == (20_000, 20_000, 0)
    assert after("correction", 135) == (19_865, 19_865, 0)


def test_19_numbers_on_labels() -> None:
    assert s10_check_digit("47312482") == 9
    assert s10_number("RR", "47312482", "PT") == "RR473124829PT"
    assert gs1_check_digit("35600000000000001") == 5
    assert sscc("3560000", 1) == "356000000000000015"
    assert is_s10("RR473124829PT")
    assert not is_s10("RR473124828PT")
    assert is_sscc("356000000000000015")
    assert not is_sscc("356000000000000016")
    for bad in ("4731248", "4731248x", "47312482٣"):
        with pytest.raises(ValueError, match="eight digits"):
            s10_check_digit(bad)
    with pytest.raises(ValueError, match="does not fit"):
        sscc("3560000", 10**11)


POLICY = OpenCover(
    "Marl & Quince",
    "OC-1",
    per_step=45,
    step=10_000,
    least=90,
    most_value=500_000,
    currency="EUR",
    not_covered=frozenset({"dangerous"}),
)


@pytest.mark.parametrize(
    ("value", "contents", "premium"),
    [
        (0, "", 90),
        (10_000, "", 90),
        (20_000, "", 90),
        (20_001, "", 135),
        (43_000, "lithium", 225),
        (500_000, "", 2_250),
        (500_001, "", "Marl & Quince covers goods worth up to 5000.00 EUR"),
        (100, "dangerous", "Marl & Quince does not cover dangerous"),
    ],
)
def test_an_insurers_premium_goes_by_started_steps_of_value(value: int, contents: str, premium: int | str) -> None:
    """Under an open policy: 0.45 per started 100.00, at least 0.90, up to a value; it bears no tax."""
    line = POLICY.premium(value, frozenset({contents} - {""}))
    if isinstance(line, Refused):
        assert line.detail == premium
        return
    assert line.amount == premium
    bare = ROAD.quote("bp-road", viseu(2240, 400, 300, 200, value=value))
    assert isinstance(bare, Quote)
    whole = insured(bare, line)
    assert (whole.net - bare.net, whole.tax, premium_in(whole)) == (premium, bare.tax, premium)
    assert sum(ln.amount for ln in whole.lines) == whole.net
    assert explain(line, "EUR").endswith("at least 0.90 EUR") is (value <= 10_000)
