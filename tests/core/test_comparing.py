"""Services × boxes: each cell is a price of its own, the best of each service is found, and nothing that is beaten stands out."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime, timedelta

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from tests.core.any_orders import orders
from tests.core.builders import BOX_L, POT, POT_CARTON, SHOP, card
from tidewind.core.addresses.check import Address
from tidewind.core.choosing import Policy, value_hundredths
from tidewind.core.comparing import CARRIERS_BOX, MOST_BOXES, USUAL, Cell, carrier_of, compare, consequences
from tidewind.core.deciding import choosable_of
from tidewind.core.options import options_for
from tidewind.core.order_facts import Carrier, Hand, LineFacts, OrderFacts
from tidewind.core.packing import Packaging
from tidewind.core.planning import plan
from tidewind.core.quantities import Size
from tidewind.core.rules.rule import Split
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.live import Answers, LiveAnswer, LivePrice

NORVIA_M = Packaging("NB-M", "Norvia box M", (330, 240, 180), Size.of(340, 250, 190), 190, 80, 10_000, 0, "norvia")
SEVERAL = replace(SHOP, packagings=(*SHOP.packagings, NORVIA_M))
AIR = CompiledCard(card("cobaltair-2026-01"), date(2026, 11, 23))
VISEU = Address(name="A", street="Rua 1", city="Viseu", postcode="3500-108", country="PT")
HEREFORD = Address(name="A", street="1 High St", city="Hereford", postcode="HR1 2PX", country="GB")
SMALL = replace(POT, weight_g=400, sides=(120, 90, 60))


def net(cell: Cell) -> int:
    assert cell.option.quote
    return cell.option.quote.net


def sendable(order: OrderFacts, to: Address) -> OrderFacts:
    """Return an order with everything known that it takes to send it, unless its goods fit nowhere."""
    lines = tuple(
        replace(ln, weight_g=min(ln.weight_g or 300, 2_000), sides=(180, 120, 90), quantity=1 + ln.quantity % 3)
        for ln in order.lines
    )
    return replace(order, lines=lines or (SMALL,), address=to, hand=replace(order.hand, packaging=None))


@given(orders, st.sampled_from([VISEU, HEREFORD]), st.sampled_from([SHOP, SEVERAL]))
def test_the_best_and_what_stands_out_are_what_a_search_by_hand_finds(
    any_order: OrderFacts, to: Address, shop: object
) -> None:
    order = sendable(any_order, to)
    settled = plan(order, shop).settled  # type: ignore[arg-type]
    assume(settled is not None)
    found = compare(order, shop, settled)  # type: ignore[arg-type]
    boxes = [column.code for column in found.columns]
    assert boxes[0] == USUAL
    assert len(set(boxes)) == len(boxes) <= MOST_BOXES
    assert len({(c.box, c.option.service) for c in found.cells}) == len(found.cells)
    assert {c.box for c in found.cells} <= {*boxes, CARRIERS_BOX}
    usual = {o.service: o for o in options_for(order, shop, settled)}  # type: ignore[arg-type]
    for cell in found.cells:
        if cell.box in {USUAL, CARRIERS_BOX}:
            assert cell.option._replace(published_net=None) == usual[cell.option.service]
        elif cell.option.quote:  # all goods in the one box of the column
            (parcel,) = cell.option.parcels
            assert (parcel.packaging.code if parcel.packaging else "") == cell.box
    priced = [c for c in found.cells if c.option.quote]
    best = {code: min((c for c in priced if c.option.service == code), key=net) for code in found.best}
    assert found.best.keys() == {c.option.service for c in priced}
    assert {code: net(cell) for code, cell in best.items()} == {
        code: net(next(c for c in priced if (c.option.service, c.box) == (code, box)))
        for code, box in found.best.items()
    }
    choosable = choosable_of([c.option for c in best.values()], shop)  # type: ignore[arg-type]
    beaten = {
        a.key
        for a in choosable
        for b in choosable
        if b.price <= a.price and b.arrives <= a.arrives and (b.price, b.arrives) != (a.price, a.arrives)
    }
    assert not beaten & found.frontier
    assert {(a.price, a.arrives) for a in choosable if a.key not in beaten} == {
        (a.price, a.arrives) for a in choosable if a.key in found.frontier
    }
    marked = {mark: code for code, marks in found.marks.items() for mark in marks}
    assert set(marked) <= {p.value for p in Policy}
    if choosable:
        by_key = {c.key: c for c in choosable}
        fastest = min(c.arrives for c in choosable)
        assert by_key[marked["cheapest"]].price == min(c.price for c in choosable)
        assert by_key[marked["fastest"]].arrives == fastest
        worth = {c.key: value_hundredths(c, fastest, SHOP.values) for c in choosable}
        assert worth[marked["balanced"]] == min(worth.values())
        assert ("cheapest_on_promise" in marked) is (order.promise is not None)


@pytest.mark.parametrize(
    ("hand", "line", "columns"),
    [
        (Hand(), POT, [USUAL, "CTN-L"]),  # the usual box, and the larger one
        (Hand(packaging="CTN-L"), POT, [USUAL, "POT-M"]),
        (Hand(split=Split("quantity", 1)), replace(POT, quantity=2), [USUAL]),  # divided on purpose stays so
        (Hand(), replace(POT, own_box=True), [USUAL]),  # packed already
    ],
)
def test_which_ways_to_pack_are_laid_side_by_side(hand: Hand, line: object, columns: list[str]) -> None:
    order = OrderFacts((line,), VISEU, hand=hand)  # type: ignore[arg-type]
    settled = plan(order, SHOP).settled
    assert settled
    found = compare(order, SHOP, settled)
    assert [column.code for column in found.columns] == columns
    assert all(
        sum(n for p in column.parcels for _, n in p.contents) == order.lines[0].quantity for column in found.columns
    )


def test_a_price_that_was_told_and_is_too_old_is_shown_and_never_chosen() -> None:
    code = "ca-1200"
    price = LivePrice((("base", "Base", 100),), 400, 0, 130)

    def at(moment: datetime) -> tuple[Cell, dict[str, str]]:
        told = LiveAnswer(SHOP.now, SHOP.now + timedelta(minutes=15), {code: price}, {})
        own = AIR.with_answers(Answers(lambda _: told, moment, SHOP.local.date()))
        shop = replace(SHOP, carriers=(*SHOP.carriers, Carrier("cobaltair", "Cobalt Air", own, AIR)))
        order = OrderFacts((SMALL,), HEREFORD)
        settled = plan(order, shop).settled
        assert settled
        found = compare(order, shop, settled)
        return next(c for c in found.cells if (c.option.service, c.box) == (code, USUAL)), found.best

    fresh, best = at(SHOP.now + timedelta(minutes=14))
    assert (net(fresh), fresh.option.published_net, fresh.stale_net, code in best) == (100, 130, None, True)
    stale, best = at(SHOP.now + timedelta(minutes=15))
    assert stale.option.refused
    assert (stale.option.quote, stale.option.refused.reason, stale.stale_net, code in best) == (
        None,
        "stale",
        100,
        False,
    )


def test_what_follows_is_said_in_words() -> None:
    shop = replace(SHOP, carriers=(*SHOP.carriers, Carrier("cobaltair", "Cobalt Air", AIR, AIR)))

    def said(
        to: Address, extras: frozenset[str] = frozenset(), now: datetime = SHOP.now, line: LineFacts = SMALL
    ) -> dict[str, list[str]]:
        later = replace(shop, now=now)
        order = OrderFacts((line,), to)
        settled = plan(order, later).settled
        assert settled
        options = [o for o in options_for(order, later, settled) if o.quote]
        return {o.service: consequences(order, later, o, extras) for o in options}

    at_home, abroad = said(VISEU), said(HEREFORD)
    assert at_home["bp-road"][0] == "Leaves with Brightmile road, cut-off 17:15 in Lisbon"
    assert not any("dut" in words for words in at_home["bp-road"])
    broker = "The recipient pays duties; a broker's fee that nobody can quote may come on top"
    assert all(broker in words for words in abroad.values())
    paid = said(HEREFORD, frozenset({"duties_paid"}))
    assert all("Duties and taxes are paid by us" in words and broker not in words for words in paid.values())
    for service, words in at_home.items():
        offered = next(c for c in shop.carriers if service in c.own.services).own.services[service].service
        assert ("Must be dropped off: no pickup" in words) is ("pickup" not in offered.handover)
        assert ("Cannot be followed on its way" in words) is (not offered.tracked)
        assert (f"Needs approval: {offered.approval}" in words) is bool(offered.approval)
        assert words[-len(offered.notes) :] == list(offered.notes) or not offered.notes
    fresh = replace(SMALL, no_weekend=True)
    thursday = said(VISEU, now=SHOP.now.replace(day=26), line=fresh)
    waits = "Waits until Monday 30 November: goods that must not spend a weekend on the way"
    assert {service for service, words in thursday.items() if waits in words} == {"np-parcel", "np-cube", "bp-road"}


def test_an_option_knows_its_carrier() -> None:
    order = OrderFacts((POT,), VISEU)
    settled = plan(order, SHOP).settled
    assert settled
    for option in options_for(order, SHOP, settled):
        assert option.service in carrier_of(SHOP, option).own.services
    assert POT_CARTON.rank < BOX_L.rank
