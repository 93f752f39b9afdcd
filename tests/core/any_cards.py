"""Rate cards and consignments of every shape, for property tests."""

from __future__ import annotations

from datetime import date, time
from typing import Any

from hypothesis import strategies as st

from tidewind.core.calendar import Transit
from tidewind.core.consignments import Consignment, Goods, Parcel, Route
from tidewind.core.quantities import Size
from tidewind.core.tariffs.card import (
    Amount,
    Limits,
    Network,
    Origin,
    RateCard,
    Region,
    Service,
    SizeClass,
    Steps,
    Surcharge,
    Volumetric,
    When,
    Zone,
)

DAY = date(2026, 11, 23)
ZONES = (
    Zone("isles", "Isles", (Region(("PT",), ("9000-9980",)),)),
    Zone("near", "Near", (Region(("PT",), ("3800-3899",), ("3850",)),), origins=("works",)),
    Zone("mainland", "Mainland", (Region(("PT",)),)),
    Zone("north", "North", (Region(("ES",), (), ("35", "38"), ("Galicia", "Asturias")),)),
    Zone("far", "Far", (Region(("GB", "CH")),), taxed=False),
)
ORIGINS = (Origin("works", "Works", (Region(("PT",), ("38",)),)), Origin("yard", "Yard", (Region(("PT",)),)))
PLACES = [
    ("PT", "3800-001", ""),
    ("PT", "3850-1", ""),
    ("PT", "9500-321", ""),
    ("PT", "5180-101", ""),
    ("ES", "15001", "galicia"),
    ("ES", "15001", ""),
    ("ES", "35001", "Galicia"),
    ("GB", "HR1", ""),
    ("JP", "1", ""),
]
GOODS, EXTRAS, CODES = ("lithium", "dry_ice"), ("signature", "by_hand", "cover"), ("a", "b", "c", "d")
money = st.integers(0, 3_000)
maybe = lambda values: st.none() | values  # noqa: E731 - reads better inside the builders


def _of(codes: tuple[str, ...]) -> Any:
    return st.lists(st.sampled_from(("base", "list", *codes)), min_size=1, max_size=2, unique=True).map(tuple)


@st.composite
def amounts(draw: Any, codes: tuple[str, ...]) -> Amount:
    kind = draw(st.sampled_from(["fixed", "percent", "per_kg", "per_value_step"]))
    least = draw(maybe(st.integers(0, 300)))
    return Amount(
        kind,
        draw(money),
        step=draw(st.integers(1, 9_000)) if kind == "per_value_step" else 0,
        included=draw(st.integers(0, 5_000)),
        minimum=least,
        cap=draw(maybe(st.integers(least or 0, 2_000))),
        of=draw(_of(codes)) if kind == "percent" else ("base",),
    )


whens = st.builds(
    When,
    home=maybe(st.booleans()),
    longest_over_mm=maybe(st.integers(0, 1200)),
    middle_over_mm=maybe(st.integers(0, 600)),
    girth_over_mm=maybe(st.integers(0, 3000)),
    gross_over_g=maybe(st.integers(0, 30_000)),
    volume_over_cm3=maybe(st.integers(0, 100_000)),
    value_over=maybe(st.integers(0, 20_000)),
    parcels_over=maybe(st.integers(0, 2)),
    not_stackable=maybe(st.booleans()),
    contents=st.sets(st.sampled_from(GOODS), max_size=1).map(frozenset),
    zones=st.sets(st.sampled_from(["isles", "mainland", "far"]), max_size=2).map(frozenset),
    places=st.sampled_from([(), (), (Region(("PT",), ("5180-5190", "38")),)]),
    weekdays=st.sampled_from([frozenset(), frozenset(), frozenset({0}), frozenset({5})]),
    ship_from=st.sampled_from([None, None, date(2026, 11, 23), date(2026, 11, 24)]),
    ship_until=st.sampled_from([None, None, date(2026, 11, 23), date(2026, 11, 30)]),
) | st.just(When())


@st.composite
def surcharges(draw: Any) -> tuple[Surcharge, ...]:
    made: list[Surcharge] = []
    for code in CODES[: draw(st.integers(0, 4))]:
        free = tuple(s.code for s in made if not s.group)
        made.append(
            Surcharge(
                code,
                f"Surcharge {code}",
                draw(amounts(free)),
                draw(whens),
                draw(st.booleans()),
                draw(st.sampled_from([None, None, "size"])),
                draw(st.booleans()),
                draw(st.booleans()),
            )
        )
    return tuple(draw(st.permutations(made)))


@st.composite
def extras(draw: Any) -> tuple[Surcharge, ...]:
    return tuple(
        Surcharge(
            code,
            code.title(),
            draw(amounts(())),
            draw(whens),
            draw(st.booleans()),
            draw(st.sampled_from([None, "signature"])),
            False,
            draw(st.booleans()),
            draw(st.booleans()),
        )
        for code in EXTRAS
    )


rising = st.lists(st.integers(1, 9_000), min_size=1, max_size=5, unique=True).map(sorted)
sizes = st.builds(Size.of, *[st.integers(5, 1_500)] * 3)


@st.composite
def limits(draw: Any) -> Limits:
    return Limits(
        draw(maybe(st.integers(500, 40_000))),
        draw(maybe(st.builds(Size.of, *[st.integers(200, 1_500)] * 3))),
        draw(maybe(st.integers(500, 5_000))),
        draw(maybe(st.integers(100, 50_000))),
        draw(maybe(st.builds(Size.of, *[st.integers(1, 90)] * 3))),
        draw(maybe(st.integers(1, 3))),
        frozenset(draw(st.sets(st.sampled_from(("dry_ice", "po_box"))))),
    )


@st.composite
def services(draw: Any, number: int, codes: tuple[str, ...]) -> Service:
    kind = draw(st.sampled_from(["weight", "weight", "volume_tiers", "one_price", "size_classes"]))
    zones = draw(st.sets(st.sampled_from([z.id for z in ZONES]), min_size=2)) | {"mainland"}
    bounds, tail = tuple(draw(rising)), draw(st.sampled_from([0, 500, 1_000])) if kind == "weight" else 0
    rows = len(bounds) if kind in {"weight", "volume_tiers"} else 1
    prices = {z: tuple(sorted(draw(st.lists(money, min_size=rows, max_size=rows)))) for z in sorted(zones)}
    steps = {
        z: Steps(bounds if rows > 1 or kind in {"weight", "volume_tiers"} else (), row, tail, 30 if tail else 0)
        for z, row in prices.items()
    }
    classes = tuple(
        SizeClass(f"C{n}", Size.of(200 * n, 150 * n, 100 * n), 4_000 * n, {z: draw(money) for z in sorted(zones)})
        for n in range(1, 4)
    )
    some = lambda known: tuple(draw(st.lists(st.sampled_from(known), unique=True)) if known else ())  # noqa: E731
    return Service(
        f"s{number}",
        f"Service {number}",
        "truck",
        kind,
        {z: Transit(1, 3, number == 1) for z in sorted(zones)},
        {} if kind == "size_classes" else steps,
        classes if kind == "size_classes" else (),
        draw(st.sampled_from([None, None, "BOX"])),
        tuple(draw(st.integers(500, 30_000)) for _ in bounds) if kind == "volume_tiers" else (),
        draw(
            maybe(
                st.builds(
                    Volumetric,
                    st.sampled_from([4000, 5000, 167]),
                    st.sampled_from([0, 40_000]),
                    st.sampled_from([1, 10]),
                )
            )
        ),
        draw(st.sampled_from([1, 500, 1000])),
        draw(st.sampled_from([0, 700])),
        draw(limits()),
        some(codes),
        some(EXTRAS),
        draw(st.sampled_from([(), ("signature",)])),
        zone_limits=draw(st.sampled_from([{}, {"mainland": Limits(gross_g=9_000, parcels=2)}])),
        minimum_charge=draw(st.sampled_from([0, 400])),
        weighed_together=draw(st.booleans()),
        fuel=draw(st.booleans()),
        by_time=draw(st.sampled_from([None, time(12)])),
        notes=draw(st.just(("A note.",))),
        to_point=draw(st.sampled_from([False, False, False, True])),
    )


@st.composite
def cards(draw: Any) -> RateCard:
    charged = draw(surcharges())
    codes = tuple(s.code for s in charged)
    some = tuple(draw(services(n, codes)) for n in range(draw(st.integers(1, 3))))
    # One service that goes everywhere, so that no zone is without a price.
    everywhere = Service(
        "all",
        "Everywhere",
        "truck",
        "one_price",
        {z.id: Transit(2, 5) for z in ZONES},
        {z.id: Steps((), (900,)) for z in ZONES},
        surcharges=codes,
        extras=EXTRAS,
    )
    return RateCard(
        "test",
        "EUR",
        date(2026, 1, 1),
        None,
        "Europe/Lisbon",
        "PT",
        draw(st.booleans()),
        2_300,
        "VAT",
        draw(st.sampled_from([(), ((date(2026, 1, 1), 1_000), (date(2026, 11, 23), 1_550))])),
        (Network("truck", "Truck", time(16, 30), None),),
        ZONES,
        charged,
        draw(extras()),
        (*some, everywhere),
        ORIGINS,
    )


boxes = st.builds(Parcel, st.integers(1, 33_000), sizes, st.sampled_from([None, None, None, "BOX"]), st.booleans())
small = st.builds(Parcel, st.integers(1, 3_000), st.just(Size.of(250, 180, 120)), st.none(), st.just(False))
consignments = st.builds(
    lambda to, home, parcels, value, goods, wanted, po_box, start, point: Consignment(
        Route(to[0], to[1], home, to[2], po_box, point, *start),
        Goods(value, frozenset(goods)),
        tuple(parcels),
        frozenset(wanted),
    ),
    st.sampled_from(PLACES),
    st.booleans(),
    st.lists(boxes, min_size=1, max_size=3) | st.lists(small, min_size=1, max_size=1),
    st.integers(0, 60_000),
    st.sets(st.sampled_from(GOODS), max_size=1) | st.just(set()),
    st.sets(st.sampled_from(EXTRAS)) | st.just(set()),
    st.booleans(),
    st.sampled_from([("", ""), ("PT", "3800-587"), ("PT", "4705-330")]),
    st.sampled_from(["", "L-204"]),
)
discounts = st.sampled_from([{}, {"*": 1_200}, {"s0": 3_333, "s1:mainland": 750, "*:far": 500, "*": 50}])
