"""A plan is total, deterministic and honest: it never crashes, never has a price with a stop, and the hand always wins."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.any_orders import orders
from tests.core.builders import BOX_L, NIGHT, POST, POT_CARTON, PUBLISHED_ROAD, ROAD, SHOP
from tidewind.core.addresses.check import Address
from tidewind.core.calendar import (
    Timetable,
    Transit,
    add_working_days,
    arrival,
    first_working_day,
    is_working_day,
    ship_date_for,
    weekend_between,
)
from tidewind.core.choosing import Choosable, Policy, Values, frontier, pick
from tidewind.core.insuring import INSURED, OpenCover
from tidewind.core.options import Option, options_for
from tidewind.core.order_facts import Carrier, Hand, LineFacts, OrderFacts
from tidewind.core.order_facts import Shop as CoreShop
from tidewind.core.packing import Packaging
from tidewind.core.plan import Plan
from tidewind.core.planning import FEW, plan, plan_many
from tidewind.core.punctuality import Record
from tidewind.core.quantities import Size
from tidewind.core.subdivisions import working_place

NORVIA_M = Packaging("NB-M", "Norvia box M", (330, 240, 180), Size.of(340, 250, 190), 190, 80, 10_000, 0, "norvia")
COVER = OpenCover("Sealine", "P-1", 30, 10_000, 50, 200_000, "EUR", frozenset({"lithium"}))


def priced(order: OrderFacts, shop: CoreShop) -> list[Option]:
    settled = plan(order, shop).settled
    return options_for(order, shop, settled) if settled else []


@given(orders, st.sampled_from(Policy))
def test_every_order_gets_a_plan_or_words(order: OrderFacts, policy: Policy) -> None:
    shop = CoreShop(SHOP.packagings, SHOP.carriers, policy, Values(), SHOP.now, SHOP.currency)
    made = plan(order, shop)
    assert plan(order, shop) == made
    assert all(s.words and s.code for s in made.snags)
    options = priced(order, shop)
    assert all((o.quote is None) is (o.refused is not None) for o in options)
    if made.chosen is None:
        assert made.stopped or not order.lines
        return
    quote, when = made.chosen.quote, made.chosen.arrival
    assert quote is not None
    assert when is not None
    assert when.ship_date <= when.earliest <= when.latest
    assert is_working_day(when.ship_date, "PT")
    if order.hand.service:
        by_hand = [o for o in options if o.service == order.hand.service]
        assert not by_hand or made.chosen.service == order.hand.service
    if order.hand.packaging in {"CTN-L", "POT-M"}:
        assert all(p.packaging is None or p.packaging.code == order.hand.packaging for p in made.parcels)
    packed = sum(n for p in made.parcels for _, n in p.contents)
    assert packed == sum(line.quantity for line in order.lines)
    assert {"packaging", "service", "weight", "ship_date", "price"} <= made.trail.keys()


@given(
    st.lists(orders, min_size=FEW + 1, max_size=FEW + 4),
    st.sampled_from(Policy),
    st.sampled_from([None, COVER]),
    st.sampled_from([(), ("bp-road", "np-box-s")]),
    st.sampled_from([frozenset(), frozenset({"np-economy", "bp-road"})]),
)
def test_many_are_planned_together_as_each_alone(
    several: list[OrderFacts],
    policy: Policy,
    cover: OpenCover | None,
    ranking: tuple[str, ...],
    approved: frozenset[str],
) -> None:
    shop = replace(
        SHOP,
        packagings=(*SHOP.packagings, NORVIA_M),
        policy=policy,
        cover=cover,
        ranking=ranking,
        approve_services=approved,
        record={"bp-road": Record("brightmile", 400, 30)},
        approve_over=1_500,
    )
    insured = [replace(o, hand=replace(o.hand, extras=frozenset({INSURED}))) if o.home else o for o in several]
    assert plan_many(insured, shop) == [plan(order, shop) for order in insured]


TO = Address(name="A", street="Rua 1", city="Viseu", postcode="3500-108", country="PT")
POT = LineFacts("1", "TP", "Pot", 1, 1650, (185, 185, 171), 9600)


@pytest.mark.parametrize(
    ("hand", "waits"),
    [
        (Hand(), True),
        (Hand(approved="Inês"), False),  # of a version that kept neither reason nor price
        (Hand(approved="Inês", approved_minor=100_000), False),
        (Hand(approved="Inês", approved_minor=1), True),  # it costs more than was approved
        (Hand(approved="Inês", approved_for=("another reason",)), True),
    ],
)
def test_what_is_dear_waits_for_the_owners_word_and_for_no_second_one(hand: Hand, waits: bool) -> None:
    made = plan(OrderFacts((POT,), TO, hand=hand), replace(SHOP, approve_over=1))
    assert ("needs_approval" in {snag.code for snag in made.snags}) is waits


def test_whichever_carrier_comes_first_together_is_as_each_alone() -> None:
    """The first column of all is chosen, too: with one service alone there is no other."""
    road = next(c for c in SHOP.carriers if "bp-road" in c.own.services)
    shop = replace(SHOP, carriers=(road,), policy=Policy.CHEAPEST)
    orders = [OrderFacts((replace(POT, id=str(n), quantity=n % 3 + 1),), TO) for n in range(FEW + 1)]
    together = plan_many(orders, shop)
    assert together == [plan(order, shop) for order in orders]
    assert {made.chosen.service for made in together if made.chosen} == {"bp-road"}


@pytest.mark.parametrize(
    ("line", "address", "hand", "codes"),
    [
        ({}, {}, {}, []),
        ({"weight_g": None}, {}, {}, ["no_weight"]),
        ({"sides": None}, {}, {}, ["no_size"]),
        ({"sides": (2000, 10, 10)}, {}, {}, ["nothing_fits"]),
        ({"sides": (300, 250, 250)}, {}, {"packaging": "POT-M"}, ["wished_packaging"]),
        ({"weight_g": 21_000}, {}, {}, ["too_heavy_for_boxes"]),
        ({}, {"postcode": "3500-1"}, {}, ["postcode_shape"]),
        ({}, {"street": ""}, {}, ["address_incomplete"]),
        ({"weight_g": None}, {"street": ""}, {}, ["address_incomplete", "no_weight"]),
        ({"contents": frozenset({"dangerous"})}, {}, {}, ["no_service"]),
        ({}, {"postcode": "9500-321"}, {"service": "bp-road"}, ["service_refused"]),
        ({}, {}, {"extras": frozenset({"ribbon"})}, ["no_service"]),
    ],
)
def test_each_snag_has_its_cause(
    line: dict[str, object], address: dict[str, str], hand: dict[str, object], codes: list[str]
) -> None:
    from dataclasses import replace

    order = OrderFacts((replace(POT, **line),), replace(TO, **address), hand=Hand(**hand))  # type: ignore[arg-type]
    made = plan(order, SHOP)
    assert [s.code for s in made.snags] == codes
    assert (made.chosen is None) is bool(codes)


def test_a_carriers_own_box_is_compared_beside_ours_and_taken_when_cheaper() -> None:

    shop = CoreShop(
        (POT_CARTON, BOX_L, NORVIA_M), SHOP.carriers, Policy.CHEAPEST_ON_PROMISE, Values(), SHOP.now, SHOP.currency
    )
    heavy = LineFacts("1", "TP", "Pot", 4, 1650, (120, 120, 170), 900)
    made = plan(OrderFacts((heavy,), TO, promise=date(2026, 11, 26)), shop)
    assert made.chosen is not None
    assert (made.chosen.service, [p.packaging for p in made.parcels]) == ("np-box-m", [NORVIA_M])
    assert [s.why for s in made.trail["packaging"]] == [
        "the smallest that everything fits into",
        "goes with Box M, one price",
    ]
    options = priced(OrderFacts((heavy,), TO, promise=date(2026, 11, 26)), shop)
    own = {o.service: o.parcels[0].packaging for o in options if o.quote}
    assert own["bp-road"] == BOX_L


def test_a_carrier_alone_and_none_at_all() -> None:
    only_road = CoreShop(
        SHOP.packagings,
        (Carrier("brightmile", "B", ROAD, PUBLISHED_ROAD),),
        Policy.CHEAPEST,
        Values(),
        SHOP.now,
        SHOP.currency,
    )
    assert {o.carrier for o in priced(OrderFacts((POT,), TO), only_road)} == {"brightmile"}
    nobody = CoreShop(SHOP.packagings, (), Policy.CHEAPEST, Values(), SHOP.now, SHOP.currency)
    assert [s.code for s in plan(OrderFacts((POT,), TO), nobody).snags] == ["no_service"]
    assert POST.card.priced_by_ship_date


days = st.dates(date(2024, 1, 1), date(2028, 12, 31))


@given(days, st.integers(0, 15), st.sampled_from(["PT", "ES-CT", "DE-BY", "GB-SCT", "US", "ZZ"]))
def test_working_days_count_only_working_days(day: date, count: int, country: str) -> None:
    end = add_working_days(day, count, country)
    assert is_working_day(end, country)
    between = [day + timedelta(days=n) for n in range(1, (end - day).days + 1)]
    if count:
        assert sum(is_working_day(d, country) for d in between) == count
    assert first_working_day(end, country) == end


@pytest.mark.parametrize(
    ("country", "postcode", "region", "place", "holiday", "elsewhere"),
    [
        ("ES", "08001", "", "ES-CT", date(2026, 9, 11), "ES-MD"),
        ("ES", "35001", "", "ES-CN", date(2026, 5, 30), "ES-MD"),
        ("GB", "EH1 1YZ", "", "GB-SCT", date(2026, 11, 30), "GB-ENG"),
        ("GB", "g2 1al", "", "GB-SCT", date(2026, 1, 2), "GB-ENG"),
        ("GB", "GL1 1AA", "", "GB-ENG", date(2026, 4, 6), "GB-SCT"),
        ("GB", "BT1 1AA", "", "GB-NIR", date(2026, 7, 13), "GB-ENG"),
        ("DE", "80331", "", "DE-BY", date(2026, 1, 6), "DE-HH"),
        ("FR", "67000", "", "FR-6AE", date(2026, 4, 3), "FR"),
        ("PT", "9500-321", "", "PT-20", date(2026, 5, 25), "PT"),
        ("PT", "9000-001", "", "PT-30", date(2026, 7, 1), "PT"),
        ("CH", "1200", "GE", "CH-GE", date(2026, 12, 31), "CH-ZH"),
        ("US", "02101", "US-MA", "US-MA", date(2026, 4, 20), "US"),
        ("PT", "3500-108", "", "PT", None, ""),
        ("ZZ", "1", "X", "ZZ", None, ""),
        ("GB", "", "", "GB", None, ""),
        ("ES", "", "Cataluña", "ES", None, ""),
        ("CH", "1200", "'; drop", "CH", None, ""),
    ],
)
def test_a_part_of_a_country_has_its_own_holidays(
    country: str, postcode: str, region: str, place: str, holiday: date | None, elsewhere: str
) -> None:
    assert working_place(Address(country=country, postcode=postcode, region=region)) == place
    assert is_working_day(date(2026, 11, 24), place)
    if holiday:
        assert not is_working_day(holiday, place)
        assert is_working_day(holiday, elsewhere, saturdays=True)


def test_a_parcel_to_edinburgh_waits_for_saint_andrews_day_and_one_to_hereford_does_not() -> None:
    edinburgh = Address(name="A", street="1 High Street", city="Edinburgh", postcode="EH1 1YZ", country="GB")
    hereford = replace(edinburgh, city="Hereford", postcode="HR1 2PX")
    thursday = replace(SHOP, now=datetime(2026, 11, 26, 9, tzinfo=UTC))

    def days(to: Address) -> dict[str, date]:
        return {o.service: o.arrival.latest for o in priced(OrderFacts((POT,), to), thursday) if o.arrival}

    there, here = days(edinburgh), days(hereford)
    assert there.keys() == here.keys()
    assert here
    assert all(there[service] >= here[service] for service in here)
    assert any((there[service] - here[service]).days >= 1 for service in here)


@given(days, st.integers(1, 4))
def test_goods_that_must_not_wait_over_a_weekend_never_do(day: date, transit: int) -> None:
    made = arrival(day, NIGHT, Transit(transit, transit), "PT", no_weekend=True)
    plain = arrival(day, NIGHT, Transit(transit, transit), "PT")
    assert made.ship_date >= plain.ship_date
    if made.waits_because:
        assert weekend_between(plain.ship_date, plain.latest)
        assert not weekend_between(made.ship_date, made.latest)


options = st.lists(
    st.builds(Choosable, st.text("abcdef", min_size=1, max_size=3), st.integers(1, 5000), days, st.integers(0, 10_000)),
    max_size=8,
    unique_by=lambda o: o.key,
)


@given(options, st.sampled_from(Policy), st.none() | days, st.randoms())
def test_choosing_never_depends_on_the_order_of_the_list(
    found: list[Choosable], policy: Policy, promise: date | None, chance: object
) -> None:
    shuffled = sorted(found, key=lambda _: chance.random())  # type: ignore[attr-defined]
    assert pick(shuffled, policy, promise) == pick(found, policy, promise)
    best = frontier(found)
    assert best == frontier(shuffled)
    for option in found:
        beaten = any(
            o.price <= option.price
            and o.arrives <= option.arrives
            and o != option
            and (o.price, o.arrives) != (option.price, option.arrives)
            for o in found
        )
        if beaten:
            assert option.key not in best
    assert bool(best) is bool(found)


def test_what_nobody_has_measured_goes_by_weight_into_what_is_meant_for_it() -> None:
    bags = tuple(replace(BOX_L, code=f"B{n}", holds_g=(n * 500 + 1, (n + 1) * 500)) for n in range(3))
    to = Address(name="Ana", street="Rua 1", city="Porto", postcode="4000-001", country="PT")

    def made(shop: CoreShop, *grams: int, own_box: bool = False) -> Plan:
        lines = tuple(
            LineFacts(str(n), f"S{n}", "Spoon", 1, g, None, 900, own_box=own_box) for n, g in enumerate(grams)
        )
        return plan(OrderFacts(lines, to), shop)

    def boxes(*grams: int) -> list[str | None]:
        found = made(replace(SHOP, packagings=bags), *grams)
        assert not found.parcels or found.trail["packaging"][0].why.endswith("nobody has said their size")
        return [p.packaging.code if p.packaging else None for p in found.parcels]

    assert boxes(500) == ["B0"]
    assert boxes(501) == boxes(300, 300) == ["B1"]
    assert boxes(1_400, 1_400, 200) == ["B2", "B2", "B0"]  # no bag is meant for all of it, nor for two
    assert boxes(1_501) == []
    for stopped in (made(SHOP, 400), made(replace(SHOP, packagings=bags), 400, own_box=True)):
        assert [s.level for s in stopped.snags if s.code == "no_size"] == ["stops"]


def test_nothing_leaves_while_nobody_is_there() -> None:
    closed = ((date(2026, 12, 24), date(2027, 1, 1)), (date(2027, 1, 4), date(2027, 1, 4)))
    table = Timetable(time(16, 0), "Europe/Lisbon", "PT", closed)
    assert ship_date_for(datetime(2026, 12, 23, 15, 59, tzinfo=UTC), table) == date(2026, 12, 23)
    assert ship_date_for(datetime(2026, 12, 23, 16, 1, tzinfo=UTC), table) == date(2027, 1, 5)
    found = arrival(date(2026, 12, 28), table, Transit(1, 2), "PT")
    assert (found.ship_date, found.earliest, found.latest) == (date(2027, 1, 5), date(2027, 1, 6), date(2027, 1, 7))
