"""Prices add up, refusals have no price, bad cards are refused whole."""

from __future__ import annotations

import copy
import json
from dataclasses import replace
from importlib import resources
from itertools import permutations
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_worked_examples import BRIGHTMILE, MONDAY, NORVIA, viseu
from tidewind.core.quantities import Refused, Size, percent_of, steps_begun
from tidewind.core.tariffs.card import Consignment, Parcel
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.quote import Quote, explain
from tidewind.core.tariffs.written import BadCard, read_card
from tidewind.core.tariffs.zones import ZoneFinder, in_postcodes

CARDS = [CompiledCard(BRIGHTMILE, MONDAY, {"*": 1200}), CompiledCard(NORVIA, MONDAY)]
PLACES = [("PT", "3800-001"), ("PT", "4700-100"), ("PT", "9050-012"), ("PT", "9500-321"), ("ES", "37001"),
          ("ES", "07001"), ("FR", "69003"), ("GR", "452 21"), ("GB", "HR1 2PX"), ("JP", "248-0012")]  # fmt: skip
side = st.integers(10, 1900)
parcels = st.builds(
    lambda g, a, b, c, n: Parcel(g, Size.of(a, b, c), None, n), st.integers(1, 33_000), side, side, side, st.booleans()
)
consignments = st.builds(
    lambda place, home, many, value, goods, extras: Consignment(
        place[0], place[1], home, tuple(many), value, frozenset(goods), frozenset(extras)
    ),
    st.sampled_from(PLACES), st.booleans(), st.lists(parcels, min_size=1, max_size=3), st.integers(0, 100_000),
    st.sets(st.sampled_from(["lithium", "limited_quantity", "dry_ice"])),
    st.sets(st.sampled_from(["signature", "cover", "delivery_confirmation"])),
)  # fmt: skip


@given(consignments, st.sampled_from(CARDS))
def test_lines_sum_to_the_price_and_every_line_can_be_explained(c: Consignment, card: CompiledCard) -> None:
    for code in card.services:
        quote = card.quote(code, c)
        if isinstance(quote, Refused):
            assert quote.reason
            assert quote.detail
            continue
        assert sum(line.amount for line in quote.lines) == quote.net > 0
        assert 0 <= quote.tax <= percent_of(quote.net, card.card.tax_bp) + 1
        assert all(isinstance(explain(line), str) for line in quote.lines)
        assert quote.billable_g >= sum(p.gross_g for p in c.parcels)


@given(consignments, st.sampled_from(CARDS))
def test_turning_a_box_changes_nothing(c: Consignment, card: CompiledCard) -> None:
    first = c.parcels[0]
    sides = (first.size.longest, first.size.middle, first.size.shortest)
    for code in card.services:
        answers = {
            repr(card.quote(code, replace(c, parcels=(replace(first, size=Size.of(*turn)),))))
            for turn in permutations(sides)
        }
        assert len(answers) == 1


@given(consignments, st.integers(1, 5000))
def test_heavier_is_never_cheaper_and_each_surcharge_only_adds(c: Consignment, more: int) -> None:
    card = CARDS[0]
    heavier = replace(c, parcels=tuple(replace(p, gross_g=p.gross_g + more) for p in c.parcels))
    to_a_home, to_a_firm = replace(c, home=True), replace(c, home=False)
    for code in card.services:
        for cheap, dear in ((c, heavier), (to_a_firm, to_a_home)):
            before, after = card.quote(code, cheap), card.quote(code, dear)
            if isinstance(before, Quote) and isinstance(after, Quote):
                assert after.net >= before.net
            assert not (
                isinstance(before, Refused) and before.reason in {"too_heavy", "too_large"} and isinstance(after, Quote)
            )


BOUNDS = [(1, 430), (999, 430), (1000, 430), (1001, 475), (2000, 475), (2001, 520), (3000, 520), (3001, 615),
          (5000, 615), (5001, 700), (10_000, 830), (10_001, 1010), (30_000, 1440), (30_001, 1478), (31_000, 1478),
          (31_001, 1516)]  # fmt: skip


@pytest.mark.parametrize(("gross_g", "base"), BOUNDS)
def test_every_step_of_the_road_table_at_its_boundary(gross_g: int, base: int) -> None:
    quote = CARDS[0].quote("bp-road", viseu(gross_g, 300, 200, 100))
    assert isinstance(quote, Quote)
    assert quote.lines[0].amount == base


@pytest.mark.parametrize(
    ("what", "lines"),
    [
        (viseu(3000, 1000, 100, 100), set()),
        (viseu(3000, 1001, 100, 100), {"long"}),
        (viseu(25_000, 300, 300, 300), set()),
        (viseu(25_001, 300, 300, 300), {"heavy"}),
        (viseu(500, 300, 300, 300, contents=frozenset({"lithium"})), {"lithium"}),
        (replace(viseu(500, 300, 300, 300), postcode="5180-101"), {"remote"}),
        (viseu(500, 300, 300, 300, extras=frozenset({"signature"})), {"signature"}),
        (viseu(500, 300, 300, 300, extras=frozenset({"delivery_confirmation"})), set()),  # included, so no line
    ],
)
def test_surcharges_on_and_just_under_their_condition(what: Consignment, lines: set[str]) -> None:
    quote = CARDS[0].quote("bp-road", what)
    assert isinstance(quote, Quote)
    assert {line.code for line in quote.lines} - {"base", "discount", "fuel"} == lines


@pytest.mark.parametrize(
    ("service", "what", "reason"),
    [
        ("bp-road", replace(viseu(500, 30, 30, 30), postcode="9500-321"), "not_served"),
        ("bp-road", replace(viseu(500, 30, 30, 30), country="US", postcode="97205"), "not_served"),
        ("bp-night", viseu(500, 30, 30, 30, contents=frozenset({"limited_quantity"})), "contents"),
        ("bp-road", replace(viseu(500, 30, 30, 30), po_box=True), "po_box"),
        ("bp-road", viseu(500, 30, 30, 30, extras=frozenset({"red_ribbon"})), "extra"),
        ("bp-road", viseu(500, 30, 30, 30, packaging="NB-S"), "packaging"),
        ("np-letter", viseu(501, 353, 250, 26), "too_large"),
        ("np-letter", viseu(500, 353, 250, 25, value=5001), "too_valuable"),
        ("np-box-s", viseu(500, 225, 165, 95), "packaging"),
    ],
)
def test_refusals_have_their_reason(service: str, what: Consignment, reason: str) -> None:
    card = CARDS[0] if service.startswith("bp") else CARDS[1]
    answer = card.quote(service, what)
    assert isinstance(answer, Refused)
    assert answer.reason == reason


def test_several_parcels_are_priced_each_and_fuel_comes_once() -> None:
    one = viseu(2240, 400, 300, 200, home=True)
    two = replace(one, parcels=one.parcels * 2)
    quote = CARDS[0].quote("bp-road", two)
    assert isinstance(quote, Quote)
    assert [line.code for line in quote.lines] == ["base", "discount", "home"] * 2 + ["fuel"]
    assert quote.lines[-1].amount == percent_of(2 * 528, 1550)


@pytest.mark.parametrize(
    ("country", "postcode", "zone"),
    [("PT", "3800-001", "pt1"), ("PT", "3500-108", "pt2"), ("PT", "9000-001", "islands"), ("PT", "9980-999", "islands"),
     ("PT", "8999-999", "pt2"), ("ES", "37001", "es"), ("ES", "35001", None), ("DE", "50667", "eu1"), ("US", "1", None)],
)  # fmt: skip
def test_zones_from_the_top_and_excluding_wins(country: str, postcode: str, zone: str | None) -> None:
    assert ZoneFinder(BRIGHTMILE.zones).find(country, postcode) == zone


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
    "is not what belongs here": lambda b: b["services"][0]["prices"].__setitem__("pt1", [-1] * 10),
    "no such surcharge ghost": lambda b: b["services"][0]["surcharges"].append("ghost"),
    "zone moon is not on the card": lambda b: b["services"][0]["transit"].__setitem__("moon", [1, 2]),
    "priced by no service": lambda b: b["zones"].append({"id": "far", "name": "Far", "where": [{"countries": ["JP"]}]}),
    "stands twice": lambda b: b["zones"].append(b["zones"][0]),
    "lies before valid_from": lambda b: b.__setitem__("valid_until", "2020-01-01"),
    "currency: is missing": lambda b: b.pop("currency"),
    "no such network": lambda b: b["services"][0].__setitem__("network", "rail"),
    "one of weight": lambda b: b["services"][0].__setitem__("kind", "by_mood"),
    "a divisor of 0": lambda b: b["services"][0]["volumetric"].__setitem__("divisor", 0),
}


@pytest.mark.parametrize("words", list(BAD))
def test_bad_cards_are_refused_whole_in_words(words: str) -> None:
    made = read_card(_broken(BAD[words]))
    assert isinstance(made, BadCard)
    assert any(words in error for error in made.errors), made.errors


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
