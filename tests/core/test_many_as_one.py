"""Many orders planned together come out as each does by itself, in every kind of shop that one may have."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.any_orders import addresses, hands, orders
from tests.core.builders import BRIGHTMILE, MONDAY, NORVIA, NORVIA_DECEMBER, POST, POT, PUBLISHED_ROAD, SHOP, card
from tests.run.length import examples
from tidewind.core.addresses.check import Address
from tidewind.core.addresses.gazetteer import shipped
from tidewind.core.choosing import Policy
from tidewind.core.insuring import INSURED, OpenCover
from tidewind.core.layers import Recipe
from tidewind.core.order_facts import Carrier, Hand, HandParcel, OrderFacts, Precedent, Shop
from tidewind.core.packing import Packaging
from tidewind.core.planning import FEW, plan, plan_many
from tidewind.core.punctuality import Record
from tidewind.core.quantities import Size
from tidewind.core.rules.rule import Split
from tidewind.core.rules.written import read_rules
from tidewind.core.screening import Listed, Screen
from tidewind.core.tariffs.contracts import PUBLISHED, Contract
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.live import Answers, LiveAnswer, LivePrice

VISEU = Address(name="Shop", street="Rua 1", city="Viseu", postcode="3500-108", country="PT")
ANGRA = replace(VISEU, city="Angra", postcode="9700-001")
TWO_ACCOUNTS = (
    Contract("447-1", (("*", 1_200),)),
    Contract("447-2", (("bp-road", 2_500), ("*:es", 3_000)), frozenset({"bp-night"})),
)
SEVERAL_ACCOUNTS = Carrier("brightmile", "Brightmile", CompiledCard(BRIGHTMILE, MONDAY, TWO_ACCOUNTS), PUBLISHED_ROAD)
NORVIA_BOX = Packaging("NB-M", "Norvia box M", (330, 240, 180), Size.of(340, 250, 190), 190, 80, 10_000, 0, "norvia")


def by_weight(code: str, least_g: int, most_g: int) -> Packaging:
    return Packaging(
        code, f"Bag to {most_g}", (400, 300, 60), Size.of(400, 300, 60), 20, 0, most_g, holds_g=(least_g, most_g)
    )


def _december(day: date, contracts: tuple[Contract, ...]) -> CompiledCard | None:
    """The card of a day: another from December on, and none in the week after Christmas."""
    if date(2026, 12, 26) <= day:
        return None
    return CompiledCard(NORVIA_DECEMBER if day >= date(2026, 12, 1) else NORVIA, day, contracts)


def _asked() -> Carrier:
    """A carrier whose prices are asked: it takes what is light, and says nothing of what is not."""
    own = CompiledCard(card("cobaltair-2026-01"), MONDAY)
    price = LivePrice((("base", "Base", 100),), 640, 0, 700)
    told = LiveAnswer(SHOP.now, SHOP.now + timedelta(minutes=15), {"ca-1200": price}, {})
    answers = Answers(
        lambda asked: told if sum(p.gross_g for p in asked.consignment.parcels) < 5_000 else None,
        SHOP.now,
        SHOP.local.date(),
    )
    return Carrier("cobaltair", "Cobalt Air", own.with_answers(answers), own)


RULES = read_rules([
    {"id": "dear", "name": "Dear", "on": True, "when": {"all": [{"fact": "value", "test": "at_least", "to": 30_000}]},
     "do": [{"set": "add_extra", "to": "signature"}, {"set": "tag", "to": "dear"}]},
    {"id": "heavy", "name": "Heavy", "on": True, "when": {"all": [{"fact": "weight", "test": "more_than", "to": 9_000}]},
     "do": [{"set": "packaging", "to": "CTN-L"}, {"set": "desk", "to": "Bench 2"}]},
    {"id": "far", "name": "Far", "on": True, "when": {"any": [{"fact": "country", "test": "is_any_of", "to": ["GB", "US"]}]},
     "do": [{"set": "hold", "to": "papers first"}, {"set": "approval", "to": "abroad"}, {"set": "stop"}]},
    {"id": "late", "name": "Late", "on": True, "when": {"all": [{"fact": "planned_time", "test": "from", "to": "16:00"}]},
     "do": [{"set": "tag", "to": "late"}]},
])  # fmt: skip
assert isinstance(RULES, tuple), RULES

SHOPS: dict[str, Shop] = {
    "several accounts": replace(SHOP, carriers=(SHOP.carriers[0], SEVERAL_ACCOUNTS)),
    "packaging by weight": replace(
        SHOP,
        packagings=(*SHOP.packagings, by_weight("BAG-S", 1, 900), by_weight("BAG-L", 901, 4_000)),
        packaging_by_weight=True,
    ),
    "ranges for what has no size": replace(SHOP, packagings=(*SHOP.packagings, by_weight("BAG-L", 1, 6_000))),
    "a carrier that is asked": replace(SHOP, carriers=(*SHOP.carriers, _asked()), policy=Policy.FASTEST),
    "cards of later days": replace(
        SHOP, carriers=(Carrier("norvia", "Norvia Post", POST, POST, _december), SHOP.carriers[1])
    ),
    "departures that are gone": replace(
        SHOP,
        carriers=(
            Carrier("norvia", "Norvia Post", POST, POST, gone=tuple((n.id, MONDAY) for n in NORVIA.networks)),
            replace(SEVERAL_ACCOUNTS, sooner=tuple((n.id, MONDAY, time(9, 0)) for n in BRIGHTMILE.networks)),
        ),
        closed=((date(2026, 11, 25), date(2026, 11, 26)),),
    ),
    "rules": replace(SHOP, rules=RULES, packagings=(*SHOP.packagings, NORVIA_BOX)),
    "rules after four": replace(SHOP, rules=RULES, now=datetime(2026, 11, 23, 16, 30, tzinfo=UTC)),
    "all that a shop can set": replace(
        SHOP,
        packagings=(*SHOP.packagings, NORVIA_BOX),
        carriers=(SHOP.carriers[0], SEVERAL_ACCOUNTS),
        policy=Policy.BALANCED,
        origin=VISEU,
        recipes={"gift": Recipe("gift", "Gift", "bp-road", "CTN-L", frozenset({"signature"}))},
        promise_links={"Next day": "gift", "Gone": "nothing such"},
        precedents={},
        group_services={"country": "np-box-s", "neighbours": "bp-road", "islands": "ghost"},
        screen=Screen((Listed("L-1", ("Ana Sanctioned",), "PT", "the list"),)),
        gazetteer=shipped(),
        record={"bp-road": Record("brightmile", 400, 30)},
        ranking=("np-box-s", "bp-road"),
        approve_over=1_500,
        approve_services=frozenset({"bp-night"}),
        cover=OpenCover("Sealine", "P-1", 30, 10_000, 50, 200_000, "EUR", frozenset({"lithium"})),
    ),
}


@st.composite
def any_order(draw: st.DrawFn) -> OrderFacts:
    """An order with more of what can be said by hand, of a batch, of a promise and of where it leaves from."""
    order = draw(orders)
    hand = replace(
        order.hand,
        account=draw(st.sampled_from(["", "", "447-1", "447-2", "gone"])),
        split=draw(st.sampled_from([None, None, Split("quantity", 2), Split("weight", 3_000)])),
        weights_g=draw(st.sampled_from([(), (), (1_234,), (700, 800)])),
        not_stackable=draw(st.booleans()),
        approved=draw(st.sampled_from(["", "Inês"])),
        approved_minor=draw(st.sampled_from([None, 900])),
        desk=draw(st.sampled_from([None, "Bench 1"])),
        released=draw(st.booleans()),
        parcels=draw(st.sampled_from([(), (), (HandParcel((("1", 1),), "CTN-L"),)])),
        extras=draw(st.sampled_from([order.hand.extras, frozenset({INSURED}), None])),
    )
    return replace(
        order,
        hand=hand,
        batch=draw(st.sampled_from([Hand(), Hand(), Hand(service="bp-road"), Hand(ship_date=date(2026, 12, 2))])),
        batch_name="Monday",
        promise_text=draw(st.sampled_from(["", "Next day", "Gone"])),
        sender=draw(st.sampled_from([None, None, ANGRA])),
        paid_shipping=draw(st.integers(0, 900)),
        billing_name=draw(st.sampled_from(["", "Bill"])),
    )


@pytest.mark.parametrize("name", SHOPS)
def test_together_is_as_by_itself(name: str) -> None:
    shop = SHOPS[name]

    @settings(max_examples=examples(10))
    @given(st.lists(any_order(), min_size=FEW + 1, max_size=FEW + 10))
    def each(several: list[OrderFacts]) -> None:
        # A shop of its own for each way: what one has worked out must not be what the other finds.
        together = plan_many(several, replace(shop))
        for order, made in zip(several, together, strict=True):
            assert made == plan(order, replace(shop)), order

    each()


@given(addresses, hands)
def test_what_was_kept_of_other_orders_changes_nothing(to: Address, hand: Hand) -> None:
    """A shop that has planned everything before, and one that begins with this order."""
    shop = SHOPS["all that a shop can set"]
    order = OrderFacts((), to, hand=hand)
    assert plan(order, shop) == plan(order, replace(shop))


def test_a_precedent_is_found_by_the_basket_and_where_it_goes() -> None:
    several = [OrderFacts((), VISEU) for _ in range(FEW + 3)]
    went = Precedent(Hand(service="bp-road"), "LL-1")
    shop = replace(SHOP, origin=VISEU, precedents={(several[0].basket, "same_region"): went})
    assert [one.trail for one in plan_many(several, shop)] == [plan(one, shop).trail for one in several]
    assert all("as order LL-1 went" in str(one.trail["service"]) for one in plan_many(several, shop))


def test_published_prices_are_those_without_a_contract() -> None:
    """What stands beside each price as published is the price of the same parcel for somebody without an account."""
    shop = SHOPS["several accounts"]
    bare = replace(
        shop, carriers=tuple(replace(c, own=CompiledCard(c.own.card, c.own.on, PUBLISHED)) for c in shop.carriers)
    )
    lines = [replace(line, id=str(n)) for n, line in enumerate([POT] * 14)]
    several = [OrderFacts((line,), VISEU, hand=Hand(service="bp-road")) for line in lines]
    for mine, theirs in zip(plan_many(several, shop), plan_many(several, bare), strict=True):
        assert mine.chosen
        assert theirs.chosen
        assert theirs.chosen.quote
        assert mine.chosen.quote
        assert mine.chosen.published_net == theirs.chosen.quote.net > mine.chosen.quote.net
