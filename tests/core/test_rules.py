"""Rules: what each test means at its bound, how layers override each other, and that no rules can break a plan."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from typing import Any, Literal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import POT, SHOP
from tidewind.core.addresses.check import Address
from tidewind.core.destinations import crosses_customs, destination_group
from tidewind.core.layers import Recipe
from tidewind.core.order_facts import Hand, HandParcel, LineFacts, OrderFacts, Precedent, rule_facts
from tidewind.core.planning import FEW, plan, plan_many
from tidewind.core.quantities import speak_in
from tidewind.core.rules.columns import holding_of_each
from tidewind.core.rules.conditions import Test
from tidewind.core.rules.evaluate import holding
from tidewind.core.rules.facts import CATALOGUE, TESTS, read_facts, written_facts
from tidewind.core.rules.rule import ACTIONS, Rule, Split
from tidewind.core.rules.touching import change_between
from tidewind.core.rules.words import action_words, condition_words
from tidewind.core.rules.written import BadRules, read_rules, write_rules

VISEU = Address(name="B. Amorim", street="Rua da Nogueira 14", city="Viseu", postcode="3500-108", country="PT")
AZORES = replace(VISEU, city="Ponta Delgada", postcode="9500-321")
ORIGIN = Address(name="L", street="Rua da Olaria 40", city="Aveiro", postcode="3800-587", country="PT")
TROWEL = LineFacts("1", "TR-01", "Trowel", 1, 310, (330, 80, 50), value=1_490)
RECIPES = {
    "fragile": Recipe("fragile", "Road fragile", "bp-road", "POT-M"),
    "night": Recipe("night", "Night", "bp-night"),
}


def rules(*written: dict[str, Any]) -> tuple[Rule, ...]:
    full = [{"id": f"r{n}", "name": f"Rule {n}", **body} for n, body in enumerate(written, 1)]
    made = read_rules(full)
    assert not isinstance(made, BadRules), made
    return made


def when(fact: str, test: str, to: Any) -> dict[str, Any]:
    return {"fact": fact, "test": test, "to": to}


def order(*lines: LineFacts, to: Address = VISEU, **more: Any) -> OrderFacts:
    return OrderFacts(lines or (TROWEL,), to, ordered_at=datetime(2026, 11, 20, 14, 30, tzinfo=UTC), **more)


FACTS = {
    "value": 8_000,
    "weight": 2_000,
    "items": 3,
    "country": "PT",
    "promise": "Express next day",
    "channel": "larkspur",
    "sku": frozenset({"TR-01", "TP-9"}),
    "postcode": "9500-321",
    "ordered_time": "14:30",
    "ordered_day": "fri",
    "po_box": False,
    "hs_code": frozenset({"820110", "691490"}),
    "longest": None,
    "product_tag": frozenset(),
}


@pytest.mark.parametrize(
    ("condition", "expected"),
    [
        (when("value", "more_than", 8_000), False),
        (when("value", "more_than", 7_999), True),
        (when("value", "at_least", 8_000), True),
        (when("value", "at_least", 8_001), False),
        (when("weight", "less_than", 2_000), False),
        (when("weight", "at_most", 2_000), True),
        (when("items", "equals", 3), True),
        (when("items", "between", [3, 3]), True),
        (when("items", "between", [4, 9]), False),
        (when("country", "is_any_of", ["ES", "pt"]), True),
        (when("country", "is_none_of", ["PT"]), False),
        (when("promise", "is", "EXPRESS  next day"), True),
        (when("promise", "contains", "next"), True),
        (when("promise", "contains_not", "Express"), False),
        (when("promise", "starts_with", "next"), False),
        (when("sku", "includes_any", ["TP-9", "X"]), True),
        (when("sku", "includes_all", ["TP-9", "X"]), False),
        (when("sku", "includes_none", ["X"]), True),
        (when("sku", "includes_only", ["TP-9"]), False),
        (when("sku", "includes_only", ["TP-9", "TR-01", "Z"]), True),
        (when("product_tag", "includes_only", ["a"]), False),
        (when("hs_code", "includes_any", ["8201"]), True),
        (when("hs_code", "includes_all", ["82", "69"]), True),
        (when("postcode", "is_in", ["9500-9980"]), True),
        (when("postcode", "is_not_in", ["9000-9400"]), True),
        (when("ordered_time", "from", "14:30"), True),
        (when("ordered_time", "before", "14:30"), False),
        (when("po_box", "is", False), True),
        (when("longest", "more_than", 1), None),
        ({"not": when("longest", "more_than", 1)}, None),
        ({"all": [when("longest", "more_than", 1), when("value", "equals", 1)]}, False),
        ({"any": [when("longest", "more_than", 1), when("value", "at_least", 1)]}, True),
        ({"all": []}, True),
        ({"not": {"all": []}}, False),
    ],
)
def test_a_condition_holds_fails_or_is_not_known_yet(condition: dict[str, Any], expected: bool | None) -> None:
    (rule,) = rules({"when": condition, "do": [{"set": "stop"}]})
    assert rule.holds(FACTS) is expected
    assert read_rules(json.loads(json.dumps(write_rules([rule])))) == (rule,)


@pytest.mark.parametrize(
    ("condition", "words"),
    [
        (
            when("value", "more_than", 8_000),
            "the value of the goods is more than 80.00 EUR (80.01 EUR matches, 80.00 EUR does not)",
        ),
        (
            when("value", "at_least", 8_000),
            "the value of the goods is 80.00 EUR or more (80.00 EUR matches, 79.99 EUR does not)",
        ),
        (when("weight", "at_most", 2_000), "the gross weight is 2,000 g or less (2,000 g matches, 2,001 g does not)"),
        (when("items", "less_than", 1), "the number of items is less than 1 (0 matches, 1 does not)"),
        (
            {
                "all": [
                    when("country", "is_none_of", ["PT", "ES"]),
                    {"any": [when("channel", "is_any_of", ["larkspur"]), {"not": when("po_box", "is", True)}]},
                ]
            },
            "the country is not Portugal or Spain and (the channel is Web shop or not (the address is a PO box))",
        ),
        ({"all": []}, "every order"),
    ],
)
def test_both_readings_of_a_bound_are_said(condition: dict[str, Any], words: str) -> None:
    (rule,) = rules({"when": condition, "do": [{"set": "service", "to": "bp-night"}]})
    assert condition_words(rule.when, "EUR", {"larkspur": "Web shop"}) == words
    assert action_words(rule.do[0], "EUR", {"bp-night": "Brightmile Night"}) == "send by Brightmile Night"


@pytest.mark.parametrize(
    ("body", "words"),
    [
        ({"rules": []}, "a list"),
        ([7], "rules[0]: an object"),
        ([{}], "rules[0].do: at least one action"),
        ([{"id": "a", "name": "A", "do": [{"set": "explode"}]}], "rules[0].do[0].set: is none of recipe"),
        ([{"id": "a", "name": "A", "do": [{"set": "tag", "to": "\u200b "}]}], "do[0].to: a text is expected"),
        ([{"id": "a", "name": "A", "do": [{"set": "stop"}], "if": 1}], "“if” is not known here"),
        (
            [{"id": "a", "name": "A", "do": [{"set": "stop"}], "when": when("value", "is", 1)}],
            "“value” it is one of more_than",
        ),
        ([{"id": "a", "name": "A", "do": [{"set": "stop"}], "when": when("value", "equals", 1.5)}], "a whole number"),
        ([{"id": "a", "name": "A", "do": [{"set": "stop"}], "when": when("value", "equals", True)}], "a whole number"),
        (
            [{"id": "a", "name": "A", "do": [{"set": "stop"}], "when": when("value", "between", [9, 1])}],
            "the smaller first",
        ),
        ([{"id": "a", "name": "A", "do": [{"set": "stop"}], "when": {"any": []}}], "could never hold"),
        (
            [{"id": "a", "name": "A", "do": [{"set": "stop"}], "when": when("country", "is_any_of", ["Portugal"])}],
            "ISO 3166",
        ),
        (
            [{"id": "a", "name": "A", "do": [{"set": "stop"}], "when": when("postcode", "is_in", ["99-10"])}],
            "ranges of beginnings",
        ),
        (
            [{"id": "a", "name": "A", "do": [{"set": "ship_date", "to": {"working_days": 1, "date": "2026-01-01"}}]}],
            "either",
        ),
        ([{"id": "a", "name": "A", "do": [{"set": "stop"}]}] * 2, "the id “a” is used twice"),
    ],
)
def test_what_cannot_be_a_rule_is_refused_with_its_place(body: Any, words: str) -> None:
    made = read_rules(body)
    assert isinstance(made, BadRules)
    assert words in " ".join(made.errors)


@pytest.mark.parametrize("units", ["metric", "imperial"])
@given(
    fact=st.sampled_from(["weight", "longest", "volume", "value", "items"]),
    test=st.sampled_from(["more_than", "at_least", "less_than", "at_most", "equals"]),
    to=st.integers(0, 5_000_000),
)
def test_what_just_matches_and_what_just_does_not_are_never_said_alike(
    units: Literal["metric", "imperial"], fact: str, test: str, to: int
) -> None:
    speak_in(units)
    said = condition_words(Test(fact, test, to), "EUR")  # type: ignore[arg-type]
    speak_in("metric")
    shown, _, both = said.partition(" (")
    if both:
        matches, fails = both.removesuffix(" does not)").split(" matches, ")
        assert matches != fails
        assert (matches in shown) != (fails in shown)
    else:
        assert to < 20  # nothing is below nothing


def test_depth_and_breadth_are_bounded() -> None:
    deep: dict[str, Any] = {"all": []}
    for _ in range(5_000):
        deep = {"not": deep}
    wide = {"all": [when("items", "equals", 1)] * 201}
    for condition in (deep, wide):
        made = read_rules([{"id": "a", "name": "A", "when": condition, "do": [{"set": "stop"}]}])
        assert isinstance(made, BadRules)


def test_worked_example_10_layers_override_each_other_and_the_trail_keeps_it() -> None:
    pot = replace(POT, own_box=False, recipe="fragile", value=9_600)
    set_ = rules(
        {"id": "r3", "when": when("value", "at_least", 8_000), "do": [{"set": "add_extra", "to": "signature"}]},
        {"id": "r5", "when": when("destination", "is_any_of", ["islands"]), "do": [{"set": "service", "to": "bp-sea"}]},
    )
    shop = replace(SHOP, recipes=RECIPES, promise_links={"Express next day": "night"}, rules=set_, origin=ORIGIN)
    wanted = order(pot, promise=date(2026, 11, 24), promise_text="Express next day", hand=Hand(packaging="CTN-L"))
    made = plan(wanted, shop)
    assert made.chosen is not None
    assert [(s.layer, s.value) for s in made.trail["packaging"][1:]] == [
        ("product default", "Pot carton M"),
        ("by hand", "Carton L"),
    ]
    assert [s.layer for s in made.trail["service"]] == ["shop default", "product default", "promise link"]
    assert (made.chosen.service, made.extras, made.rules) == ("bp-night", {"signature"}, ("r3",))
    without = plan(wanted, replace(shop, rules=(replace(set_[0], on=False), set_[1])))
    assert (without.extras, without.parcels[0].packaging) == (frozenset(), made.parcels[0].packaging)
    island = plan(replace(wanted, address=AZORES), shop)
    assert island.chosen is not None
    assert island.chosen.service == "bp-sea"
    assert [(s.code, s.level) for s in island.snags] == [("promise_missed", "warns")]


def test_a_rule_or_a_person_binds_and_lower_layers_give_way_with_a_warning() -> None:
    shop = replace(SHOP, recipes=RECIPES, promise_links={"Next day": "night"}, origin=ORIGIN)
    gave_way = plan(order(to=AZORES, promise_text="Next day"), shop)
    assert gave_way.chosen is not None
    assert [(s.code, s.level) for s in gave_way.snags] == [("service_gave_way", "warns")]
    bound = plan(order(to=AZORES), replace(shop, rules=rules({"do": [{"set": "service", "to": "bp-night"}]})))
    assert (bound.chosen, bound.stopped, bound.snags[0].code) == (None, True, "service_refused")
    assert "rule 1, Rule 1" in bound.snags[0].words
    missing = plan(order(), replace(shop, rules=rules({"do": [{"set": "packaging", "to": "GONE"}]})))
    assert missing.snags[0].code == "wished_packaging"


def test_actions_split_hold_leave_out_approve_date_value_and_stop() -> None:
    def outcome(*do: dict[str, Any], hand: Hand = Hand(), quantity: int = 4) -> Any:  # noqa: B008 - frozen
        return plan(
            order(replace(TROWEL, quantity=quantity), hand=hand),
            replace(SHOP, origin=ORIGIN, rules=rules({"do": list(do)}, {"do": [{"set": "tag", "to": "reached"}]})),
        )

    assert len(outcome({"set": "split", "to": {"by": "quantity", "most": 3}}).parcels) == 2
    assert len(outcome({"set": "split", "to": {"by": "weight", "most": 310}}).parcels) == 4
    assert len(outcome({"set": "split", "to": {"by": "weight", "most": 1}}).parcels) == 4  # a heavier piece goes alone
    assert outcome({"set": "hold", "to": "stock"}).hold == "stock"
    assert outcome({"set": "hold", "to": "stock"}, hand=Hand(released=True)).hold == ""
    assert outcome({"set": "leave_out", "to": "collected"}).leave_out == "collected"
    assert outcome({"set": "approval", "to": "dear"}).stopped
    assert not outcome({"set": "approval", "to": "dear"}, hand=Hand(approved="Inês")).stopped
    price = outcome({"set": "tag", "to": "plain"}).chosen.quote.net
    for limit, stops in ((price, False), (price - 1, True)):  # an approval reaches to its own price
        again = outcome({"set": "approval", "to": "dear"}, hand=Hand(approved="Inês", approved_minor=limit))
        assert any("approved was" in snag.words for snag in again.snags) is stops
        # Where nobody has to approve, a price that was approved once binds nobody.
        plain = outcome({"set": "tag", "to": "plain"}, hand=Hand(approved="Inês", approved_minor=limit))
        assert not plain.snags
    assert outcome({"set": "value", "to": 77}).value == 77
    later = outcome({"set": "ship_date", "to": {"working_days": 5}})  # ordered on Friday 20 November
    assert later.chosen.arrival.ship_date == date(2026, 11, 27)
    assert outcome({"set": "stop"}).tags == frozenset()
    assert outcome({"set": "desk", "to": "Garden clubs"}, hand=Hand(desk="Export")).desk == "Export"


def test_weight_rules_see_the_box_of_the_layers_below_and_run_once() -> None:
    heavy = {"when": when("weight", "more_than", 350), "do": [{"set": "packaging", "to": "CTN-L"}]}
    light = {"when": when("weight", "at_most", 350), "do": [{"set": "tag", "to": "light"}]}
    made = plan(order(), replace(SHOP, origin=ORIGIN, rules=rules(heavy, light)))
    assert made.rules == ("r1",)
    assert made.parcels[0].packaging is not None
    assert made.parcels[0].packaging.code == "CTN-L"
    assert made.trail["rules"][-1].value == "not run a second time"


def test_precedents_and_defaults_of_destination_groups() -> None:
    basket = order().basket
    shop = replace(
        SHOP,
        origin=ORIGIN,
        group_services={"country": "bp-road"},
        precedents={(basket, "country"): Precedent(Hand(service="bp-night", extras=frozenset({"signature"})), "LL-1")},
    )
    made = plan(order(), shop)
    assert [(s.layer, s.value) for s in made.trail["service"]][-2:] == [
        ("shop default", "Road"),
        ("precedent", "Night, by 12:00"),
    ]
    assert made.extras == {"signature"}
    # What a buyer paid for is not traded for how it went last time: neither the service nor the day.
    slow = replace(shop, precedents={(basket, "country"): Precedent(Hand(service="np-economy"), "LL-1")})
    due = date(2026, 11, 25)
    free, paid = (plan(replace(order(), promise=due, paid_shipping=p), slow) for p in (0, 990))
    assert [made.chosen.service for made in (free, paid) if made.chosen] == ["np-economy", "bp-road"]
    assert "not followed: it would miss the day that the buyer paid for" in paid.trail["service"][0].why
    recipes = {"night": Recipe("night", "Night", "bp-night")}
    linked = replace(slow, recipes=recipes, promise_links={"Tomorrow": "night"})
    sold = plan(replace(order(), promise_text="Tomorrow", paid_shipping=990), linked)
    gift = plan(replace(order(), promise_text="Tomorrow"), linked)
    assert [made.chosen.service for made in (sold, gift) if made.chosen] == ["bp-night", "np-economy"]
    assert "not followed: the buyer paid for another service" in sold.trail["service"][0].why
    other = plan(order(replace(TROWEL, quantity=2)), shop)
    assert other.chosen is not None
    assert other.chosen.service == "bp-road"


def test_parcels_put_together_by_hand_hold_exactly_what_was_said() -> None:
    two = (replace(TROWEL, quantity=2), replace(TROWEL, id="2", sku="TP-9"))
    split = Hand(parcels=(HandParcel((("1", 1),)), HandParcel((("1", 1), ("2", 1)), "CTN-L")))
    made = plan(order(*two, hand=split), SHOP)
    assert [p.contents for p in made.parcels] == [(("1", 1),), (("1", 1), ("2", 1))]
    left_out = plan(order(*two, hand=Hand(parcels=(HandParcel((("1", 2),)),))), SHOP)
    assert [s.code for s in left_out.snags] == ["hand_parcels"]


@pytest.mark.parametrize(
    ("country", "postcode", "group", "customs"),
    [
        ("PT", "3810-142", "same_region", False),
        ("PT", "1000-001", "country", False),
        ("PT", "9500-321", "islands", False),
        ("ES", "28001", "neighbours", False),
        ("ES", "35001", "islands", True),
        ("ES", "07001", "islands", False),
        ("GB", "HR1 2PX", "world", True),
        ("CH", "8400", "world", True),
        ("FR", "97400", "islands", True),
    ],
)
def test_destination_groups_and_the_customs_border(country: str, postcode: str, group: str, customs: bool) -> None:
    to = Address(country=country, postcode=postcode)
    assert (destination_group(to, ORIGIN), crosses_customs(to, ORIGIN)) == (group, customs)


# --- any rules, any order ----------------------------------------------------------------------------------------

_WORDS = st.sampled_from(
    ["PT", "ES", "TR-01", "islands", "paid", "home", "fri", "next", "larkspur", "9500", "82", "zz"]
)


@st.composite
def leaves(draw: st.DrawFn) -> dict[str, Any]:
    fact = draw(st.sampled_from(list(CATALOGUE.values())))
    test = draw(st.sampled_from(TESTS[fact.kind]))
    if fact.kind in {"money", "weight", "length", "volume", "count"}:
        low = draw(st.integers(0, 12_000))
        return when(fact.code, test, [low, low + draw(st.integers(0, 500))] if test == "between" else low)
    plain = {"text": "next", "flag": draw(st.booleans()), "time": "14:30"}.get(fact.kind)
    pool = st.sampled_from(fact.values) if fact.values and fact.kind == "choice" else _WORDS.filter(str.isalnum)
    if fact.code in {"country", "origin"}:
        pool = st.sampled_from(["PT", "ES", "GB"])
    return when(fact.code, test, draw(st.lists(pool, min_size=1, max_size=3)) if plain is None else plain)


CONDITIONS = st.recursive(
    leaves(),
    lambda inner: st.one_of(
        st.builds(lambda parts: {"all": parts}, st.lists(inner, max_size=3)),
        st.builds(lambda parts: {"any": parts}, st.lists(inner, min_size=1, max_size=3)),
        st.builds(lambda part: {"not": part}, inner),
    ),
    max_leaves=6,
)
_TO: dict[str, Any] = {
    "recipe": st.sampled_from(["fragile", "night", "gone"]),
    "service": st.sampled_from(["bp-road", "bp-sea", "np-letter", "gone"]),
    "packaging": st.sampled_from(["CTN-L", "ENV-S", "NB-S", "gone"]),
    "add_extra": st.sampled_from(["signature", "cover", "gone"]),
    "remove_extra": st.just("signature"),
    "value": st.integers(0, 10**9),
    "split": st.builds(
        lambda by, most: {"by": by, "most": most}, st.sampled_from(["quantity", "weight"]), st.integers(1, 900)
    ),
    "ship_date": st.builds(lambda n: {"working_days": n}, st.integers(0, 60)),
    "stop": st.none(),
}
ACTION = st.sampled_from(sorted(ACTIONS)).flatmap(
    lambda kind: st.builds(lambda to: {"set": kind, "to": to}, _TO.get(kind, st.just("why")))
)
RULE_SETS = st.lists(
    st.builds(
        lambda c, do, on: {"when": c, "do": do, "on": on},
        CONDITIONS,
        st.lists(ACTION, min_size=1, max_size=3),
        st.booleans(),
    ),
    max_size=6,
)
LINES = st.builds(
    lambda n, q, w, value, own: LineFacts(str(n), f"S-{n}", f"S {n}", q, w, (330, 80, 50), value=value, own_box=own),
    st.integers(1, 3),
    st.integers(0, 5),
    st.one_of(st.none(), st.integers(1, 30_000)),
    st.integers(0, 50_000),
    st.booleans(),
)
HANDS = st.builds(
    Hand,
    packaging=st.sampled_from([None, "CTN-L", "gone"]),
    service=st.sampled_from([None, "bp-road", "gone"]),
    extras=st.sampled_from([None, frozenset(), frozenset({"signature"})]),
    desk=st.sampled_from([None, "Export"]),
    split=st.sampled_from([None, Split("quantity", 2)]),
    released=st.booleans(),
)


@given(
    RULE_SETS,
    st.lists(LINES, max_size=3, unique_by=lambda ln: ln.id),
    HANDS,
    st.sampled_from([VISEU, AZORES, Address()]),
)
def test_no_rules_can_break_a_plan_and_hand_edits_win_always(
    written: list[dict[str, Any]], lines: list[LineFacts], hand: Hand, to: Address
) -> None:
    shop = replace(SHOP, recipes=RECIPES, origin=ORIGIN, rules=rules(*written))
    facts = OrderFacts(tuple(lines), to, hand=hand, promise_text="next")
    made = plan(facts, shop)
    again = plan(facts, shop)
    assert (made.trail, made.snags, made.chosen, made.parcels) == (
        again.trail,
        again.snags,
        again.chosen,
        again.parcels,
    )
    ladder = ["shop default", "product default", "promise link", "precedent", "rule", "by hand"]
    for name in ("service", "extras", "desk", "split"):
        steps = [ladder.index(s.layer) for s in made.trail.get(name, [])]
        assert steps == sorted(steps)
    if hand.extras is not None:
        assert made.extras == hand.extras
    if hand.service and made.chosen:
        assert made.chosen.service == hand.service
    if hand.desk is not None:
        assert made.desk == hand.desk
    if hand.packaging and made.parcels and made.chosen:
        assert {p.packaging.code for p in made.parcels if p.packaging} == {hand.packaging}
    assert not (made.hold and hand.released)
    assert made.stopped or made.chosen is not None
    assert set(rule_facts(facts, shop, made.parcels)) == set(CATALOGUE)


@given(
    RULE_SETS,
    RULE_SETS,
    st.lists(st.sampled_from(["keep", "drop", "change", "add"]), max_size=6),
    st.lists(LINES, max_size=3, unique_by=lambda ln: ln.id),
    st.sampled_from([VISEU, AZORES]),
)
def test_an_order_that_a_change_of_rules_does_not_touch_keeps_its_plan_to_the_word(
    written: list[dict[str, Any]], others: list[dict[str, Any]], edits: list[str], lines: list[LineFacts], to: Address
) -> None:
    named = [{**body, "id": f"a{n}"} for n, body in enumerate(written)]
    edited: list[dict[str, Any]] = []
    for body, edit, other in zip(named, [*edits, *["keep"] * 6], [*others, *[{"do": [{"set": "tag", "to": "x"}]}] * 6]):  # noqa: B905
        edited += {
            "keep": [body],
            "drop": [],
            "change": [{**other, "id": body["id"]}],
            "add": [{**other, "id": f"b{len(edited)}"}, body],
        }[edit]
    before, after = rules(*named), rules(*edited)
    facts = OrderFacts(tuple(lines), to, promise_text="next")
    shop = replace(SHOP, recipes=RECIPES, origin=ORIGIN, rules=before)
    was, becomes = plan(facts, shop), plan(facts, replace(shop, rules=after))
    stored = read_facts(
        json.loads(json.dumps(written_facts(was.facts))), *(was.facts[c] for c in ("planned_day", "planned_time"))
    )
    assert {code: v for code, v in was.facts.items() if v is not None} == stored
    change = change_between(before, after)
    if not change.touches(was.rules, stored):
        assert (was.trail, was.snags, was.chosen, was.parcels, was.rules) == (
            becomes.trail,
            becomes.snags,
            becomes.chosen,
            becomes.parcels,
            becomes.rules,
        )
    labels = change.labels(was.rules, stored)
    if labels:
        assert (labels.rules, labels.tags, labels.desk) == (becomes.rules, becomes.tags, becomes.desk)
        assert labels.trail == {name: becomes.trail[name] for name in ("tags", "desk") if name in becomes.trail}
        rest = [
            {name: steps for name, steps in made.trail.items() if name not in {"tags", "desk"}}
            for made in (was, becomes)
        ]
        assert rest[0] == rest[1]
        assert (was.snags, was.chosen, was.parcels, was.hold, was.good_until) == (
            becomes.snags,
            becomes.chosen,
            becomes.parcels,
            becomes.hold,
            becomes.good_until,
        )
    else:
        assert before != after


@given(st.integers(0, 7 * 24 * 60), st.floats(0, 1), st.sampled_from(["09:00", "16:30"]))
def test_a_plan_stays_the_same_until_the_moment_it_names_and_no_longer(minutes: int, share: float, turn: str) -> None:
    late = rules({"when": when("planned_time", "from", turn), "do": [{"set": "desk", "to": "Late"}]})
    now = datetime(2026, 11, 23, 0, 1, tzinfo=UTC) + timedelta(minutes=minutes)
    shop = replace(SHOP, origin=ORIGIN, rules=late, now=now)
    facts = order()
    made = plan(facts, shop)
    assert made.good_until is not None
    assert made.good_until >= now
    then = now + (made.good_until - now) * share
    later = plan(facts, replace(shop, now=then))
    assert made.chosen
    assert later.chosen
    assert later.chosen.arrival == made.chosen.arrival
    assert later.desk == made.desk or then.date() != now.date()
    after = plan(facts, replace(shop, now=made.good_until + timedelta(microseconds=1)))
    assert after.chosen
    assert (after.chosen.arrival != made.chosen.arrival) or after.desk != made.desk


@given(
    RULE_SETS,
    st.lists(
        st.builds(
            lambda lines, hand, to: OrderFacts(tuple(lines), to, hand=hand, promise_text="next"),
            st.lists(LINES, max_size=3, unique_by=lambda ln: ln.id),
            HANDS,
            st.sampled_from([VISEU, AZORES, Address()]),
        ),
        min_size=FEW + 1,
        max_size=FEW + 4,
    ),
)
def test_rules_asked_by_columns_say_what_they_say_of_each_order(
    written: list[dict[str, Any]], several: list[OrderFacts]
) -> None:
    shop = replace(SHOP, recipes=RECIPES, origin=ORIGIN, rules=rules(*written))
    alone = [plan(facts, shop) for facts in several]
    assert holding_of_each(shop.rules, [made.facts for made in alone]) == [holding(shop.rules, m.facts) for m in alone]
    assert holding_of_each(shop.rules, []) == []
    assert plan_many(several, shop) == alone
