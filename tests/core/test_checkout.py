"""Checkout: where offers and rows hold, the arithmetic of a price, which row and band a basket meets, fallbacks."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.checkout.answering import Basket, BasketLine, PackedBasket, ServicePrice, answer
from tidewind.core.checkout.arithmetic import adjusted, up_to_ending
from tidewind.core.checkout.offer import (
    Adjusting,
    ByTable,
    Fallback,
    Flat,
    Free,
    Handling,
    Limits,
    Live,
    Offer,
    PerKilogram,
    Times,
)
from tidewind.core.checkout.reach import Reach, read_reach
from tidewind.core.checkout.rehearsing import SentOrder, curve_of, proposed, rehearse_checkout
from tidewind.core.checkout.tables import RateTable, TableRow, faults_of
from tidewind.core.checkout.written import Checkout, read_checkout

BASKET = Basket((BasketLine("TR-02", 2, 3_200),), "PT", "3500-108")
ROAD, BOX = ServicePrice("road", "Road", 610), ServicePrice("box", "Box M", 540, latest=date(2026, 11, 30))
HOME = Offer("home", (("en", "Home delivery"), ("pt", "Entrega em casa")), Live(("road", "box")))


def packed(*services: ServicePrice, **more: Any) -> PackedBasket:
    return PackedBasket("Carton S", gross_g=1_380, services={s.code: s for s in services}, **more)


def price(
    offer: Offer, basket: Basket = BASKET, services: tuple[ServicePrice, ...] = (ROAD, BOX), **more: Any
) -> int | str:
    """Return what an offer costs a basket, or why it is not offered."""
    found = answer([offer], {}, basket, packed(*services, **more), "EUR")
    return found.offered[0].price if found.offered else found.absent[0].why


@pytest.mark.parametrize(
    ("start", "how", "parcels", "ends"),
    [
        (540, Adjusting(percent_bp=800), 1, 583),
        (540, Adjusting(percent_bp=-700), 1, 502),
        (100, Adjusting(amount=-200), 1, 0),
        (583, Adjusting(ending=90), 1, 590),
        (590, Adjusting(ending=90), 1, 590),
        (591, Adjusting(ending=90), 1, 690),
        (210, Adjusting(floor=390), 1, 390),
        (1_120, Adjusting(percent_bp=500, handling=Handling(parcel=50)), 2, 1_276),
        (1_000, Adjusting(500, -30, Handling(10, 20, 5), 50), 2, 1_150),  # 1050, 1020, 1020 + 10 + 40 + 15, up to .50
        (480, Adjusting(ending=90, ceiling=485), 1, 485),  # the ceiling may break the ending
        (0, Adjusting(ending=90), 1, 0),  # what is free stays free
    ],
)
def test_the_arithmetic_of_an_offer(start: int, how: Adjusting, parcels: int, ends: int) -> None:
    steps = adjusted(start, how, parcels, 3, "EUR")
    assert (steps[-1].price if steps else start) == ends


@given(st.integers(0, 50_000), st.integers(0, 99))
def test_an_ending_is_the_least_price_above_that_ends_so(amount: int, ending: int) -> None:
    found = up_to_ending(amount, ending, "EUR")
    assert found == next(p for p in range(amount, amount + 100) if p % 100 == ending)


@given(
    st.lists(st.integers(0, 9_000), min_size=1, max_size=5),
    st.integers(-5_000, 5_000),
    st.integers(-900, 900),
    st.one_of(st.none(), st.integers(0, 99)),
    st.one_of(st.none(), st.integers(0, 900)),
    st.integers(0, 3_000),
)
def test_a_cheaper_service_never_raises_the_price_and_nothing_is_below_the_floor(
    nets: list[int], percent: int, amount: int, ending: int | None, floor: int | None, cheaper: int
) -> None:
    services = tuple(ServicePrice(f"s{n}", f"S{n}", net) for n, net in enumerate(nets))
    offer = Offer(
        "o",
        (("en", "O"),),
        Live((*(s.code for s in services), "new")),
        adjusting=Adjusting(percent, amount, ending=ending, floor=floor),
    )
    before = price(offer, services=services)
    after = price(offer, services=(*services, ServicePrice("new", "New", cheaper)))
    assert isinstance(before, int)
    assert isinstance(after, int)
    assert max(floor or 0, 0) <= after <= before


STATES = st.sampled_from(["priced", "waits", "refuses"])
COUNTRIES = st.sampled_from(["PT", "ES", "FR"])


@given(
    st.lists(st.tuples(st.booleans(), st.sets(COUNTRIES), st.booleans()), min_size=1, max_size=4),
    st.lists(STATES, min_size=1, max_size=3),
    COUNTRIES,
)
def test_every_basket_with_an_offer_for_its_destination_gets_one_and_fallbacks_stand_for_want_of_answers(
    drawn: list[tuple[bool, set[str], bool]], states: list[str], country: str
) -> None:
    made = {"priced": {"net": 500}, "waits": {"waits": True}, "refuses": {"refused": "too long"}}
    services = tuple(ServicePrice(f"s{n}", f"S{n}", **made[state]) for n, state in enumerate(states))  # type: ignore[arg-type]
    codes = tuple(s.code for s in services)
    always = replace(HOME, fallback=Fallback(590, 590))
    offers = [
        replace(always, code=str(n), price=Live(codes) if live else Flat(390), on=on, reach=Reach(frozenset(there)))
        for n, (on, there, live) in enumerate(drawn)
    ]
    found = answer(offers, {}, replace(BASKET, country=country), packed(*services), "EUR")
    expected = {
        str(n): ("own" if not live else "live" if "priced" in states else "fallback")
        for n, (on, there, live) in enumerate(drawn)
        if on and (not there or country in there) and (not live or set(states) & {"priced", "waits"})
    }
    assert {line.code: line.source for line in found.offered} == expected
    assert {one.code for one in found.absent} == {o.code for o in offers} - expected.keys()


def test_vat_is_put_on_what_a_carrier_costs_and_is_in_what_the_shop_asks() -> None:
    home = replace(HOME, adjusting=Adjusting(percent_bp=800, ending=90))
    live = answer([home], {}, BASKET, packed(BOX), "EUR", vat_bp=2_300).offered[0]
    assert [(step.words, step.price) for step in live.steps[1:]] == [
        ("with 23 % VAT", 664),
        ("8 % on top", 717),
        ("ending in .90", 790),
    ]
    assert (live.price, live.vat) == (790, 148)
    flat = answer([replace(HOME, price=Flat(583))], {}, BASKET, packed(BOX), "EUR", vat_bp=2_300).offered[0]
    assert (flat.price, flat.vat) == (583, 109)
    assert answer([HOME], {}, BASKET, packed(BOX), "EUR").offered[0].vat == 0


@pytest.mark.parametrize(("currency", "ending", "up"), [("KWD", 950, 5_950), ("EUR", 95, 5_095), ("JPY", 80, 5_080)])
def test_an_ending_is_below_one_whole_of_the_currency(currency: str, ending: int, up: int) -> None:
    assert up_to_ending(5_001, ending, currency) == up
    offer = {"code": "a", "names": {"en": "A"}, "price": {"kind": "flat", "minor": 1}}
    least_too_many = 1_000 if currency == "KWD" else 100
    assert not read_checkout({"offers": [offer | {"ending_minor": least_too_many - 1}]}, None, currency).errors
    assert read_checkout({"offers": [offer | {"ending_minor": least_too_many}]}, None, currency).errors


@pytest.mark.parametrize(
    ("value", "voucher", "counts", "asked"),
    [(6_000, 0, "before", 0), (5_999, 0, "before", 540), (6_400, 1_000, "before", 0), (6_400, 1_000, "after", 540)],
)
def test_free_from_a_value_on(value: int, voucher: int, counts: Any, asked: int) -> None:
    basket = Basket((BasketLine("A", 1, value),), "PT", "3500-108", discount=voucher)
    offer = replace(HOME, free=Free(6_000, counts))
    assert price(offer, basket) == asked
    line = answer([offer], {}, basket, packed(ROAD, BOX), "EUR").offered[0]
    assert line.to_free == max(6_000 - (value - (voucher if counts == "after" else 0)), 0)


def test_the_cheapest_is_shown_the_fallback_only_for_want_of_an_answer_and_refusals_are_said() -> None:
    waits, refuses = ServicePrice("road", "Road", waits=True), ServicePrice("box", "Box M", refused="too long")
    safe = replace(HOME, fallback=Fallback(590, 1_290))
    assert price(HOME) == 540
    assert price(safe, services=(waits, BOX)) == 540  # the others are offered
    assert price(safe, services=(waits, refuses)) == 590
    assert price(safe, services=(waits, refuses), abroad=True) == 1_290
    assert price(HOME, services=(waits,)) == "no carrier answered, and there is no fallback for that"
    assert price(safe, services=(refuses,)) == "Box M: too long"  # nobody takes it: no price for want of an answer
    assert price(safe, services=(), refused="no box takes it") == "no box takes it"
    found = answer([safe], {}, BASKET, packed(waits), "EUR").offered[0]
    assert (found.source, found.price) == ("fallback", 590)
    trade = replace(BASKET, group="trade")  # this group pays its own price, whether or not the carrier says anything
    for silent in (replace(safe, groups=(("trade", 300),)), replace(HOME, groups=(("trade", 300),))):
        assert [price(silent, trade, (waits,)), price(silent, trade)] == [300, 300]
    each = replace(HOME, price=Live(("road", "box"), each=True))
    named = answer([each], {}, BASKET, packed(ROAD, BOX), "EUR").offered
    assert [(line.code, line.name, line.price) for line in named] == [
        ("home:box", "Box M", 540),
        ("home:road", "Road", 610),
    ]
    assert answer([HOME], {}, BASKET, packed(BOX), "EUR", "pt-PT").offered[0].name == "Entrega em casa"
    due = replace(BOX, earliest=date(2026, 11, 26))
    for shows, days in (("span", (due.earliest, due.latest)), ("day", (None, due.latest)), ("nothing", (None, None))):
        line = answer([replace(HOME, shows=shows)], {}, BASKET, packed(due), "EUR").offered[0]  # type: ignore[arg-type]
        assert (line.earliest, line.latest) == days
    then = {2: {"box": replace(BOX, latest=date(2026, 12, 2))}}  # two working days of the shop, then the carrier's own
    later = answer([replace(HOME, packing_days=2)], {}, BASKET, replace(packed(BOX), later=then), "EUR").offered[0]
    assert later.latest == date(2026, 12, 2)


@pytest.mark.parametrize(
    ("change", "why"),
    [
        ({"on": False}, "switched off"),
        ({"channels": frozenset({"tallyfair"})}, "other channels"),
        ({"places": frozenset({"Barreiro"})}, "from other places"),
        ({"reach": Reach(frozenset({"ES"}))}, "does not go there"),
        ({"times": Times(frozenset({5}))}, "not open now"),
        ({"times": Times(until="09:00")}, "not open now"),
        ({"limits": Limits(weight_g=(None, 1_379))}, "weight is above"),
        ({"limits": Limits(value=(6_401, None))}, "value is below"),
        ({"limits": Limits(items=(3, None))}, "number of items is below"),
        ({"limits": Limits(not_skus=frozenset({"TR-02"}))}, "not for TR-02"),
        ({"limits": Limits(skus=frozenset({"GC-1"}))}, "not for TR-02"),
        ({"limits": Limits(tags=frozenset({"seed"}))}, "other tags"),
        ({"takes": ("box",), "price": Flat(390)}, None),
        ({"takes": ("gone",), "price": Flat(390)}, "no carrier has its services"),
        ({"limits": Limits((1_380, 1_380), (6_400, 6_400), (2, 2))}, None),
    ],
)
def test_what_an_offer_holds_for(change: dict[str, Any], why: str | None) -> None:
    basket = replace(BASKET, channel="larkspur", local=datetime(2026, 11, 24, 9, 0))  # noqa: DTZ001
    found = price(replace(HOME, **change), basket)
    assert isinstance(found, int) if why is None else why in str(found)


TABLE = RateTable(
    "islands",
    "Islands 2026",
    "weight_g",
    (4_000, 9_000),
    (
        TableRow(read_reach("PT", "", "9000-9400"), (580, 1_120), "Madeira"),
        TableRow(read_reach("PT", "", "9500-9980"), (660, None), "Azores"),
        TableRow(read_reach("PT", "", ""), (300, 500)),
        TableRow(read_reach("not PT CH", "", ""), (1_200, 1_900), "Abroad"),
    ),
)


@pytest.mark.parametrize(
    ("country", "postcode", "grams", "expected"),
    [
        ("PT", "9500-321", 4_000, 660),
        ("PT", "3800-001", 4_000, 300),
        ("PT", "9000-001", 4_000, 580),
        ("PT", "9000-001", 4_001, 1_120),
        ("PT", "9400-999", 9_000, 1_120),
        ("PT", "9000-001", 9_001, "above the last band"),
        ("PT", "9500-321", 4_001, "offers nothing in row 2, band 2"),
        ("CH", "8001", 100, "no row for there"),
        ("FR", "75001", 100, 1_200),
    ],
)
def test_rows_and_bands(country: str, postcode: str, grams: int, expected: int | str) -> None:
    basket = Basket((BasketLine("A", 1, 100),), country, postcode)
    found = answer(
        [Offer("t", (("en", "T"),), ByTable("islands"))], {"islands": TABLE}, basket, PackedBasket(gross_g=grams), "EUR"
    )
    if isinstance(expected, int):
        assert found.offered[0].price == expected
    else:
        assert expected in found.absent[0].why


BY_WEIGHT = RateTable(
    "kg", "By weight", "weight_g", (4_000, 60_000), (TableRow(read_reach("US", "", ""), (500, 9_000)),)
)
BY_LITRES = replace(BY_WEIGHT, code="l", name="By litres", by="volume_cm3")
BY_PLACE = RateTable(
    "p",
    "By place",
    "items",
    (9,),
    (TableRow(read_reach("US", "ca", ""), (100,)), TableRow(read_reach("US", "", ""), (900,))),
)
NOT_PACKED: dict[str, tuple[PackedBasket, dict[str, int | str]]] = {
    "55 kg that no box takes": (
        PackedBasket(gross_g=55_000, volume_cm3=90_000, refused="no box"),
        {"kg": 9_000, "l": "above the last band", "each": 55_000, "light": "above", "p": 900, "flat": 700},
    ),
    "55 kg to half an address": (
        PackedBasket(gross_g=55_000, volume_cm3=9_000, refused="no region", unplaced=True),
        {"kg": 9_000, "l": 9_000, "each": 55_000, "light": "above", "p": "the address is not whole yet", "flat": 700},
    ),
    "nobody knows its weight": (
        PackedBasket(gross_g=None, volume_cm3=None, refused="no weight"),
        {"kg": "weight, and that of its goods is not known", "l": "volume, and that of its goods is not known",
         "each": "the weight of its goods is not known", "light": "not known, and it has a limit", "p": 900, "flat": 700},
    ),
}  # fmt: skip


@pytest.mark.parametrize(("basket", "wanted"), NOT_PACKED.values(), ids=NOT_PACKED)
def test_what_cannot_be_packed_is_never_priced_as_nothing(basket: PackedBasket, wanted: dict[str, int | str]) -> None:
    """Its goods count, or an offer that goes by what is not known is left out with its reason."""
    light = Limits(weight_g=(None, 2_000))
    prices = {
        "kg": ByTable("kg"),
        "l": ByTable("l"),
        "p": ByTable("p"),
        "each": PerKilogram(0, 1_000),
        "flat": Flat(700),
    }
    offers = [Offer(code, (("en", code),), price) for code, price in prices.items()]
    offers.append(Offer("light", (("en", "light"),), Flat(300), limits=light))
    tables = {"kg": BY_WEIGHT, "l": BY_LITRES, "p": BY_PLACE}
    found = answer(offers, tables, Basket((BasketLine("A", 1, 100),), "US", ""), basket, "EUR")
    came = {one.code: one.price for one in found.offered} | {one.code: one.why for one in found.absent}
    assert came.keys() == wanted.keys()
    for code, expected in wanted.items():
        assert expected == came[code] if isinstance(expected, int) else expected in str(came[code]), (code, came[code])


@pytest.mark.parametrize(
    ("country", "postcode", "holds"),
    [
        ("PT", "3500-108", True),
        ("PT", "9000-001", False),
        ("ES", "35001", False),
        ("ES", "28001", True),
        ("FR", "1", False),
    ],
)
def test_a_postcode_can_belong_to_one_of_the_countries_only(country: str, postcode: str, holds: bool) -> None:
    assert read_reach("PT ES", "", "not PT:9000-9999 ES:35").holds(country, postcode) is holds
    assert read_reach("PT ES", "", "ES:28").holds("PT", "9000-001")  # only Spain is narrowed


COUNTRIES = st.sampled_from(["", "PT", "ES", "PT ES", "not PT", "not CH FR"])
CODES = st.sampled_from(
    ["", "90", "9000-9400", "95", "1", "not 95", "9 not 91", "9200-9599 not 95", "1-4 9000-9100", "9101-9400", "91-99"]
)


@given(
    st.lists(st.tuples(COUNTRIES, CODES), max_size=7), st.sampled_from(["PT", "ES", "FR", "CH"]), st.integers(0, 9999)
)
def test_the_first_row_that_holds_is_found_as_a_slow_reader_would(
    cells: list[tuple[str, str]], country: str, code: int
) -> None:
    def holds(countries: str, postcodes: str) -> bool:
        names, _, but = countries.partition("not ")
        if (names.split() and country not in names.split()) or country in but.split():
            return False
        inside, _, outside = postcodes.partition("not ")

        def meets(pattern: str) -> bool:
            low, _, high = pattern.partition("-")
            return low <= f"{code:04}"[: len(low)] <= (high or low)

        return not any(map(meets, outside.split())) and (not inside.split() or any(map(meets, inside.split())))

    rows = tuple(TableRow(read_reach(c, "", p), (1,)) for c, p in cells)
    table = RateTable("t", "T", "items", (1,), rows)
    slow = next((n for n, (c, p) in enumerate(cells) if holds(c, p)), None)
    assert table.row_for(country, f"{code:04}") == slow
    for fault in faults_of(table):
        if "never reached" in fault.words and fault.row is not None:
            assert slow != fault.row


def test_faults_of_a_table_are_pointed_out_and_narrow_rows_can_be_put_on_top() -> None:
    messy = replace(
        TABLE,
        rows=(
            TableRow(read_reach("PT", "", "9"), (500, 400)),
            TableRow(read_reach("PT", "", "9000-9400"), (580, 1_120)),
            TableRow(read_reach("ES", "", "07"), (None, 900)),
            TableRow(read_reach("ES", "", "35"), (800, 900)),
        ),
    )
    words = [(fault.row, fault.band, fault.words) for fault in faults_of(messy)]
    assert (0, 1, "cheaper than the band before it") in words
    assert (1, None, "row 1 takes everything above, so this row is never reached") in words
    assert (2, 0, "nobody is offered anything here") in words
    assert (3, None, "nobody in ES 08 to 34 is offered anything") in words
    narrow = replace(messy, narrowest=True)
    assert (messy.row_for("PT", "9100-001"), narrow.row_for("PT", "9100-001"), narrow.row_for("PT", "9500-001")) == (
        0,
        1,
        0,
    )
    assert not [fault for fault in faults_of(narrow) if "never reached" in fault.words]
    assert not [f for f in faults_of(TABLE) if "between" in f.words or "nobody in" in f.words]  # row 3 takes the rest


def test_what_is_written_is_read_or_every_fault_is_said() -> None:
    good = {
        "offers": [
            {
                "code": "home",
                "names": {"en": "Home delivery"},
                "price": {"kind": "live", "services": ["road"]},
                "percent_bp": 500,
                "ending_minor": 90,
                "free": {"from_minor": 6_000},
                "fallback": {"home_minor": 590},
                "where": {"countries": "PT ES", "postcodes": "not 9000-9999"},
            },
            {"code": "isl", "names": {"en": "Islands"}, "price": {"kind": "table", "table": "t"}},
        ],
        "tables": [{"code": "t", "name": "T", "bands": [1_000], "rows": [{"countries": "PT", "prices": [490]}]}],
    }
    read = read_checkout(good, {"road": "Road"})
    assert read.errors == ()
    assert read.offers[0].adjusting == Adjusting(500, ending=90)
    assert read.offers[0].reach.not_postcodes == ("9000-9999",)
    for change, words in (
        ({"names": {}}, "no name"),
        ({"price": {"kind": "live", "services": ["boat"]}}, "no service boat"),
        ({"price": {"kind": "table", "table": "x"}}, "no table x"),
        ({"percent_bp": 1.5}, "whole number"),
        ({"where": {"countries": "Portugal"}}, "no country"),
        ({"where": {"countries": "PT", "postcodes": "9400-9000"}}, "no postcode"),
        ({"floor_minor": 900, "ceiling_minor": 800}, "above the highest"),
        ({"times": {"from": "9"}}, "hours are written"),
        ({"code": "Home!"}, "small letters"),
        ({"basket": {"items_from": 3, "items_to": 2}}, "above its to"),
    ):
        errors = read_checkout(
            {"offers": [good["offers"][0] | change], "tables": good["tables"]}, {"road": "Road"}
        ).errors
        assert any(words in error for error in errors), (change, errors)
    assert read_checkout([]).errors


def test_a_rehearsal_adds_up_and_a_threshold_is_proposed_that_loses_nothing() -> None:
    def sent(number: str, worth: int, cost: int, country: str = "PT") -> SentOrder:
        return SentOrder(
            number, Basket((BasketLine("A", 1, worth),), country, "3500-108"), 900, 4_000, 1, False, cost, 400
        )

    orders = [sent("1", 2_000, 450), sent("2", 5_500, 450), sent("3", 9_000, 600), sent("4", 1_000, 300, "CH")]
    flat = Offer("home", (("en", "Home"),), Flat(500), reach=Reach(frozenset({"PT"})), free=Free(5_000))
    made = rehearse_checkout(Checkout((flat,)), orders, "EUR")
    assert (made.orders, made.cost, made.really_paid, made.would_pay, made.without) == (4, 1_800, 1_600, 500, ["4"])
    assert (made.offers["home"].orders, made.margin) == (3, -1_300)
    with_vat = rehearse_checkout(Checkout((flat,), vat_bp=2_300), orders, "EUR")
    assert (with_vat.really_paid, with_vat.would_pay) == (4 * 325, 407)  # what stays with the shop, as costs do
    assert (
        rehearse_checkout(Checkout((flat,), vat_bp=2_300), [replace(o, exported=True) for o in orders], "EUR") == made
    )
    curve = curve_of(Checkout((flat,)), "home", orders, "EUR", [2_000, 5_000, 6_000, 9_001])
    assert [(p.margin, p.free) for p in curve] == [(-1_800, 3), (-1_300, 2), (-800, 1), (-300, 0)]
    rising = curve_of(Checkout((flat,)), "home", orders, "EUR", [6_000], rising_bp=5_000)
    assert rising[0].margin == -800 - 250  # half of the one basket between 48.00 and 60.00 rises
    assert proposed(curve, made.margin) == curve[1]
    assert proposed(curve, 0) is None
    dear = replace(flat, free=None)
    turned = curve_of(Checkout((dear,)), "home", orders, "EUR", [0, 400, 600], "flat")
    assert [p.margin for p in turned] == [-1_800, 3 * 400 - 1_800, 3 * 600 - 1_800]
    turned = curve_of(Checkout((dear,)), "home", orders, "EUR", [-2_000, 0, 1_000], "percent")
    assert [p.margin for p in turned] == [3 * 400 - 1_800, 3 * 500 - 1_800, 3 * 550 - 1_800]
