"""Prices add up, refusals have no price, bad cards are refused whole."""

from __future__ import annotations

import copy
import json
from dataclasses import replace
from datetime import date
from importlib import resources
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import BRIGHTMILE, MONDAY, NORVIA
from tidewind.core.consignments import Consignment, Goods, Parcel, Route
from tidewind.core.quantities import Refused, Size, percent_of, steps_begun
from tidewind.core.tariffs.card import Origin, RateCard, Region, Service
from tidewind.core.tariffs.changes import changes
from tidewind.core.tariffs.check import clash
from tidewind.core.tariffs.contracts import terms
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.quote import Quote
from tidewind.core.tariffs.reading import BadCard
from tidewind.core.tariffs.written import card_schema, read_card
from tidewind.core.tariffs.zones import in_postcodes

CARDS = [CompiledCard(BRIGHTMILE, MONDAY, terms({"*": 1200})), CompiledCard(NORVIA, MONDAY)]
PLACES = [
    ("PT", "3800-001"),
    ("PT", "4700-100"),
    ("PT", "9050-012"),
    ("PT", "9500-321"),
    ("ES", "37001"),
    ("ES", "07001"),
    ("FR", "69003"),
    ("GR", "452 21"),
    ("GB", "HR1 2PX"),
    ("JP", "248-0012"),
]
side = st.integers(10, 1900)
parcels = st.builds(
    lambda g, a, b, c, n: Parcel(g, Size.of(a, b, c), None, n), st.integers(1, 33_000), side, side, side, st.booleans()
)
consignments = st.builds(
    lambda place, home, many, value, goods, extras: Consignment(
        Route(*place, home), Goods(value, frozenset(goods)), tuple(many), frozenset(extras)
    ),
    st.sampled_from(PLACES),
    st.booleans(),
    st.lists(parcels, min_size=1, max_size=3),
    st.integers(0, 100_000),
    st.sets(st.sampled_from(["lithium", "limited_quantity", "dry_ice"])),
    st.sets(st.sampled_from(["signature", "cover", "delivery_confirmation"])),
)


@given(consignments, st.integers(1, 5000))
def test_heavier_is_never_cheaper_and_each_surcharge_only_adds(c: Consignment, more: int) -> None:
    card = CARDS[0]
    heavier = replace(c, parcels=tuple(replace(p, gross_g=p.gross_g + more) for p in c.parcels))
    to_a_home, to_a_firm = (replace(c, route=replace(c.route, home=home)) for home in (True, False))
    for code in card.services:
        for cheap, dear in ((c, heavier), (to_a_firm, to_a_home)):
            before, after = card.quote(code, cheap), card.quote(code, dear)
            if isinstance(before, Quote) and isinstance(after, Quote):
                assert after.net >= before.net
            assert not (
                isinstance(before, Refused) and before.reason in {"too_heavy", "too_large"} and isinstance(after, Quote)
            )


@pytest.mark.parametrize(
    ("start", "origins", "priced"),
    [("PT", (), True), ("", (), True), ("CH", (), False), ("ES", (), False), ("ES", ("ES",), True)],
)
def test_a_card_prices_what_leaves_from_its_own_country_or_an_origin_it_names(
    start: str, origins: tuple[str, ...], priced: bool
) -> None:
    card = replace(BRIGHTMILE, origins=tuple(Origin(code, code, (Region((code,)),)) for code in origins))
    c = Consignment(Route("PT", "3500-108", False, from_country=start), Goods(), (Parcel(900, Size.of(300, 200, 100)),))
    quote = CompiledCard(card, MONDAY).quote(card.services[0].code, c)
    assert isinstance(quote, Quote) is priced, "what a card does not say of other countries is not assumed"


def test_postcode_patterns() -> None:
    assert in_postcodes("9500321", ("9500-9980",))
    assert in_postcodes("22100", ("22",))
    assert not in_postcodes("95", ("9500-9980",))
    assert not in_postcodes("", ("22",))


@given(st.integers(-(10**9), 10**9), st.integers(0, 20_000))
def test_percentages_round_half_up_and_mirror(amount: int, rate: int) -> None:
    assert percent_of(amount, rate) == -percent_of(-amount, rate)
    assert abs(percent_of(amount, rate) * 10_000 - amount * rate) <= 5_000
    assert steps_begun(amount, 100) == max(0, -(-amount // 100))


def _broken(change: Any) -> dict[str, Any]:
    text = resources.files("tidewind.data.cards").joinpath("brightmile-2026-07.json").read_text("utf-8")
    body: dict[str, Any] = copy.deepcopy(json.loads(text))
    change(body)
    return body


BAD = {
    "steps must rise": lambda b: b["services"][0]["up_to_g"].reverse(),
    "must not cost less": lambda b: b["services"][0]["prices"]["pt1"].reverse(),
    "9 prices stand beside 10 steps": lambda b: b["services"][0]["prices"]["pt1"].pop(),
    "is not a list of whole numbers": lambda b: b["services"][0]["prices"].__setitem__("pt1", [-1] * 10),
    "no such surcharge ghost": lambda b: b["services"][0]["surcharges"].append("ghost"),
    "zone moon is not on the card": lambda b: b["services"][0]["transit"].__setitem__("moon", [1, 2]),
    "priced by no service": lambda b: b["zones"].append({"id": "far", "name": "Far", "where": [{"countries": ["JP"]}]}),
    "stands twice": lambda b: b["zones"].append(b["zones"][0]),
    "lies before valid_from": lambda b: b.__setitem__("valid_until", "2020-01-01"),
    "currency: is missing": lambda b: b.pop("currency"),
    "no such network": lambda b: b["services"][0].__setitem__("network", "rail"),
    "one of weight": lambda b: b["services"][0].__setitem__("kind", "by_mood"),
    "a divisor or a step of 0": lambda b: b["services"][0]["volumetric"].__setitem__("divisor", 0),
    "not a currency of ISO 4217": lambda b: b.__setitem__("currency", "EUX"),
    "not a country of ISO 3166": lambda b: b.__setitem__("country", "QQ"),
    "not a time zone": lambda b: b.__setitem__("time_zone", "Europe/Aveiro"),
    "the dates must rise": lambda b: b["fuel"].reverse(),
    "can never be reached for PT: zone pt2": lambda b: b["zones"].append(
        {"id": "late", "name": "Late", "where": [{"countries": ["PT"], "postcodes": ["1000"]}]}
    ),
    "postcodes 3000-3099 of zone pt1 and 3050-3120 of zone pt1b overlap in PT": lambda b: b["zones"].insert(
        2, {"id": "pt1b", "name": "Beside", "where": [{"countries": ["PT"], "postcodes": ["3050-3120"]}]}
    ),
    "zones[7].where: is missing": lambda b: b["zones"].append({"id": "none", "name": "None", "where": []}),
    "surchages: is not a word of the rate card": lambda b: b["services"][0].__setitem__("surchages", ["home"]),
    "each is a percentage of the next in a circle: remote → peak → remote": lambda b: [
        s.update(percent=100, of=["peak" if s["code"] == "remote" else "remote"]) or s.pop("per_kg", None)
        for s in b["surcharges"]
        if s["code"] in {"remote", "peak"}
    ],
    "a percentage of long, which its group may leave out": lambda b: b["surcharges"][-2].update(of=["long"]),
    "a percentage of ghost, which is not a surcharge": lambda b: b["surcharges"][-2].update(of=["ghost"]),
    "at least 400 and at most 300 cannot both be": lambda b: b["surcharges"][0].update(minimum=400, cap=300),
    "only a table of weights has a tail": lambda b: b["services"][0].update(kind="one_price", prices={"pt1": [5]}),
    "there are prices but no steps": lambda b: b["services"][0].update(up_to_g=[], prices={"pt1": [5]}),
    "size S stands after M and takes less": lambda b: b["services"].append(
        {
            "code": "x",
            "name": "X",
            "network": "road",
            "kind": "size_classes",
            "transit": {"pt1": [1, 1]},
            "classes": [
                {"code": "M", "sides_mm": [300, 200, 100], "max_gross_g": 900, "prices": {"pt1": 300}},
                {"code": "S", "sides_mm": [200, 200, 100], "max_gross_g": 900, "prices": {"pt1": 200}},
            ],
        }
    ),
}


@pytest.mark.parametrize("words", list(BAD))
def test_bad_cards_are_refused_whole_in_words(words: str) -> None:
    made = read_card(_broken(BAD[words]))
    assert isinstance(made, BadCard)
    assert any(words in error for error in made.errors), made.errors


@pytest.mark.parametrize(("many", "refused"), [(20_000, False), (20_001, True)])
def test_a_list_has_an_end(many: int, refused: bool) -> None:
    made = read_card(_broken(lambda b: b["services"][0].__setitem__("surcharges", ["home"] * many)))
    assert isinstance(made, BadCard) is refused


json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
    max_leaves=8,
)


@given(
    st.sampled_from(["zones", "services", "surcharges", "extras", "networks", "fuel", "valid_from", "tax_bp"]),
    json_values,
)
def test_nothing_that_a_card_may_say_crashes_the_reader(key: str, value: Any) -> None:
    read_card(_broken(lambda b: b.__setitem__(key, value)))
    read_card(value)


@pytest.mark.parametrize(
    ("start", "end", "beside", "words"),
    [
        ("2026-12-01", None, [("2026-06-01", None)], None),
        ("2026-12-01", None, [("2026-06-01", "2026-11-30")], None),
        ("2026-12-01", None, [("2026-06-01", "2026-12-01")], "is valid until 01 Dec 2026"),
        ("2026-12-01", None, [("2026-12-01", None)], "another version is valid from 01 Dec 2026"),
        ("2026-12-01", "2027-01-01", [("2027-01-01", None)], "lies inside these dates"),
        ("2026-12-01", "2026-12-31", [("2027-01-01", None)], None),
    ],
)
def test_two_versions_are_never_in_force_on_one_day(
    start: str, end: str | None, beside: Any, words: str | None
) -> None:
    as_day = lambda text: date.fromisoformat(text) if text else None  # noqa: E731 - used twice, here only
    card = replace(BRIGHTMILE, valid_from=date.fromisoformat(start), valid_until=as_day(end))
    found = clash(card, [(date.fromisoformat(a), as_day(b)) for a, b in beside])
    assert (found is None) if words is None else (words in str(found))


def test_the_schema_that_is_shipped_is_the_one_that_is_read() -> None:
    shipped = json.loads((Path(__file__).parents[2] / "docs" / "rate-card.schema.json").read_text("utf-8"))
    assert shipped == card_schema()


def test_two_versions_of_a_card_differ_in_words_that_can_be_checked() -> None:
    def rest(after: RateCard) -> list[tuple[str, str, str]]:
        return [(c.where, c.before, c.after) for c in changes(NORVIA, after)]

    assert rest(NORVIA) == []
    service = next(s for s in NORVIA.services if s.kind == "weight" and s.steps)
    zone, steps = next(iter(service.steps.items()))
    name = next(z.name for z in NORVIA.zones if z.id == zone)
    dearer = replace(steps, prices=(steps.prices[0] + 100, *steps.prices[1:]))

    def with_service(changed: Service) -> RateCard:
        return replace(NORVIA, services=tuple(changed if s.code == changed.code else s for s in NORVIA.services))

    ((where, before, after),) = rest(with_service(replace(service, steps={**service.steps, zone: dearer})))
    assert where.startswith(f"{service.name}, {name} to ")
    assert (before, after) == tuple(f"{minor / 100:.2f} EUR" for minor in (steps.prices[0], steps.prices[0] + 100))
    shorter = replace(steps, bounds=steps.bounds[:-1], prices=steps.prices[:-1])
    gone = rest(with_service(replace(service, steps={**service.steps, zone: shorter})))
    assert [(bool(was), becomes) for _, was, becomes in gone] == [(True, "")]
    renamed = rest(replace(NORVIA, zones=(replace(NORVIA.zones[0], name="Elsewhere"), *NORVIA.zones[1:])))
    assert [(was, becomes) for _, was, becomes in renamed] == [(NORVIA.zones[0].name, "Elsewhere")]
    fewer = rest(replace(NORVIA, services=tuple(s for s in NORVIA.services if s is not service)))
    assert len(fewer) == 1
    assert service.code in fewer[0][0] + fewer[0][1]
    assert fewer[0][2] == ""
