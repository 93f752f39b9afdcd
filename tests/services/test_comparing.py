"""Services × boxes, the matrix, quotes without an order, and carriers that are asked for their prices."""

from __future__ import annotations

from dataclasses import replace

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from tests.conftest import MONDAY, Clock
from tests.services.steps import of, person
from tidewind.core.addresses.check import Address
from tidewind.core.comparing import CARRIERS_BOX, USUAL
from tidewind.core.options import options_for
from tidewind.core.planning import plan
from tidewind.core.punctuality import Lateness, Record, lateness
from tidewind.db.tables import LiveAnswerRow, Order, PackagingRow, Product, Shipment
from tidewind.outside.breaker import Breaker
from tidewind.services.base import MOST_ORDERS, Invalid
from tidewind.services.buying import ToBuy, ask_to_buy, buy_shipment
from tidewind.services.orders import edit_hand
from tidewind.services.planning import all_facts, core_shop, plan_orders
from tidewind.services.rates import (
    Comparison,
    PricesAsked,
    QuotedParcel,
    QuoteRequest,
    ask_prices_of_order,
    ask_prices_of_quote,
    compare_order,
    price_matrix,
    quote_services,
    refresh_asked_prices,
)
from tidewind.standins.world import World
from tidewind.web.access import Wiring

VISEU = QuoteRequest(
    Address(city="Viseu", postcode="3500-108", country="PT"), True, (QuotedParcel(900, (250, 180, 120)),)
)


def cells(comparison: Comparison | None, service: str) -> dict[str, int | str]:
    assert comparison is not None
    mine = [c for c in comparison.compared.cells if c.option.service == service]
    return {
        c.box: c.option.quote.net if c.option.quote else c.option.refused.reason
        for c in mine
        if c.option.refused or c.option.quote
    }  # type: ignore[union-attr]


@pytest.mark.parametrize("unmeasured", [False, True])
def test_every_matrix_cell_is_the_price_of_the_order_sheet(session: Session, unmeasured: bool) -> None:
    if unmeasured:  # one of two goods has no size: no carrier's box is known to hold them, a mailer for their weight is
        mailer = session.scalars(select(PackagingRow).where(PackagingRow.carrier.is_(None))).all()[0]
        mailer.holds_from_g, mailer.holds_to_g, mailer.max_load_g = 1, 40_000, 40_000
        several = next(o for o in session.scalars(select(Order)) if len({ln.sku for ln in o.lines}) > 1)
        product = session.scalars(select(Product).where(Product.sku == several.lines[0].sku)).one()
        product.length_mm = product.width_mm = product.height_mm = None
        session.flush()
        plan_orders(session, session.scalars(select(Order)).all(), MONDAY)
    found = session.scalars(select(Order).where(Order.state == "open")).all()
    made = price_matrix(session, [o.id for o in found], MONDAY)
    assert len(made.services) == 20
    assert len(made.rows) > 25
    priced = 0
    facts = {f.id: all_facts(session, [f])[0] for f in found}
    shop = core_shop(session, MONDAY)
    for row in made.rows:
        settled = plan(facts[row.order.id], shop).settled
        options = {o.service: o for o in options_for(facts[row.order.id], shop, settled)} if settled else {}
        for (_, service), price, day in zip(made.services, row.prices, row.arrives, strict=True):
            option = options.get(service.code)
            expected = (
                (option.quote.net, option.arrival.latest)
                if option and option.quote and option.arrival
                else (None, None)
            )
            assert (price, day) == expected, (row.order.number, service.code, option)
            priced += price is not None
        assert set(row.picks) >= {"cheapest", "fastest", "balanced"}
        assert row.prices[[s.code for _, s in made.services].index(row.picks["cheapest"])] == min(
            p for p in row.prices if p
        )
    assert priced > 150
    with pytest.raises(Invalid, match="at most"):
        price_matrix(session, list(range(MOST_ORDERS + 1)), MONDAY)


def test_boxes_beside_each_other_show_the_cheaper_one(session: Session) -> None:
    order = of(session, "Beatriz Amorim")
    made = compare_order(session, order.id, MONDAY)
    assert made is not None
    codes = [column.code for column in made.compared.columns]
    assert codes[0] == USUAL
    assert len(codes) >= 3
    road = cells(made, "bp-road")
    assert (
        road[USUAL] == made.compared.cells[0].option.quote.net
        if made.compared.cells[0].option.service == "bp-road"
        else True
    )  # type: ignore[union-attr]
    assert set(road) == set(codes)
    assert set(cells(made, "np-box-s")) == {CARRIERS_BOX}
    for service, box in made.compared.best.items():
        prices = [p for p in cells(made, service).values() if isinstance(p, int)]
        assert cells(made, service)[box] == min(prices)
    assert {"cheapest", "fastest", "balanced"} <= {m for marks in made.compared.marks.values() for m in marks}
    published = {
        c.option.service: c.option.published_net for c in made.compared.cells if c.box == USUAL and c.option.quote
    }
    assert (road[USUAL], published["bp-road"]) == (610, 681)  # 5.20 + 0.70 + 0.91, which is 15.5 % of 5.90
    assert published["np-parcel"] == cells(made, "np-parcel")[USUAL]  # without a contract they are the same
    signed = compare_order(session, order.id, MONDAY, frozenset({"signature"}))
    both = [(cells(made, s)[USUAL], cells(signed, s)[USUAL]) for s in ("bp-road", "np-parcel")]
    assert [after - before for before, after in both] == [110, 120]  # type: ignore[operator]


def test_a_quote_needs_no_order_and_says_why_not(session: Session) -> None:
    made = quote_services(session, VISEU, MONDAY)
    assert cells(made, "pp-locker") == {USUAL: "no_point"}
    assert isinstance(cells(quote_services(session, replace(VISEU, point="L-204"), MONDAY), "pp-locker")[USUAL], int)
    assert cells(made, "np-box-m")[CARRIERS_BOX] == 540
    assert cells(made, "np-box-s") == {CARRIERS_BOX: "packaging"}
    two = replace(VISEU, parcels=(QuotedParcel(900, (250, 180, 120), 2),))
    assert cells(quote_services(session, two, MONDAY), "np-box-m") == {CARRIERS_BOX: "packaging"}
    assert len(quote_services(session, two, MONDAY).settled.packed) == 2
    with pytest.raises(Invalid):
        quote_services(session, replace(VISEU, to=Address()), MONDAY)


def test_a_live_carrier_is_asked_and_its_answer_grows_old(wiring: Wiring, world: World, clock: Clock) -> None:
    def look() -> tuple[int | str, int | None]:
        with wiring.sessions() as session:
            made = quote_services(session, VISEU, clock())
            cell = next(c for c in made.compared.cells if c.option.service == "ca-day")
            return cells(made, "ca-day")[USUAL], cell.stale_net

    def ask() -> PricesAsked:
        return ask_prices_of_quote(wiring.sessions, wiring.outside, VISEU, clock())

    assert look() == ("not_asked", None)
    asked = ask()
    assert (asked.answered, asked.failures) == (1, {})  # it goes into none of the carrier's own packaging
    price, stale = look()
    assert isinstance(price, int)
    assert stale is None
    assert ask().answered == 0  # fresh answers are not asked for again
    clock.move(minutes=16)
    assert look() == ("stale", price)  # shown struck out, never as true
    world.set_fault("cobaltair", "down", 9)
    assert list(ask().failures) == ["cobaltair"]
    assert look() == ("no_answer", price)
    world.set_fault("cobaltair", "down", 0)
    clock.move(minutes=1)
    assert ask().answered == 1
    assert look() == (price, None)


@pytest.mark.parametrize("fault", ["slow", "error", "down"])
def test_a_failing_live_carrier_never_touches_the_others(
    fault: str, wiring: Wiring, world: World, clock: Clock
) -> None:
    world.set_fault("cobaltair", fault, 20)
    for _ in range(4):
        asked = ask_prices_of_quote(wiring.sessions, wiring.outside, VISEU, clock())
        if fault != "slow":  # slow, but within the time that is waited
            assert list(asked.failures) == ["cobaltair"]
            clock.move(seconds=1)
    with wiring.sessions() as session:
        made = quote_services(session, VISEU, clock())
        assert isinstance(cells(made, "bp-road")[USUAL], int)
        if fault != "slow":
            assert cells(made, "ca-day")[USUAL] == "no_answer"
            row = session.scalars(select(LiveAnswerRow)).first()
            assert row is not None
            assert "three failures in a row" in row.failure  # the fourth time nobody waited


def test_the_circuit_breaker(clock: Clock) -> None:
    breaker = Breaker()
    for _ in range(3):
        assert breaker.lets_through(clock())
        breaker.failed(clock())
    assert not breaker.lets_through(clock())
    clock.move(seconds=30)
    assert breaker.lets_through(clock())  # one goes to see
    assert not breaker.lets_through(clock())
    breaker.succeeded()
    assert breaker.lets_through(clock())


def test_a_price_that_moved_between_quote_and_purchase_is_asked_about(
    wiring: Wiring, world: World, clock: Clock
) -> None:
    with wiring.sessions.begin() as session:
        order_id = of(session, "Beatriz Amorim").id
    ask_prices_of_order(wiring.sessions, wiring.outside, order_id, None, clock())
    with wiring.sessions.begin() as session:
        order = edit_hand(session, [order_id], {"service": "ca-day"}, "Tomé Brisson", clock())[0]
        assert order.service == "ca-day"
        shown = order.price_minor
        assert shown
    world.set_fault("cobaltair", "dearer", 1)
    with wiring.sessions.begin() as session:
        ask_to_buy(session, [ToBuy(order_id, shown)], "live-1", person(session, "tome"), clock())
        shipment = session.scalars(select(Shipment).where(Shipment.order_id == order_id)).one().id
    assert buy_shipment(wiring.sessions, wiring.outside, shipment, clock) == "failed"
    with wiring.sessions() as session:
        bought = session.get_one(Shipment, shipment)
        assert "voided at once; buy again if you agree" in bought.failure
        assert session.get_one(Order, order_id).state == "open"


def test_a_waiting_order_never_keeps_a_price_that_is_too_old(wiring: Wiring, world: World, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        order_id = of(session, "Beatriz Amorim").id
    ask_prices_of_order(wiring.sessions, wiring.outside, order_id, None, clock())
    with wiring.sessions.begin() as session:
        shown = edit_hand(session, [order_id], {"service": "ca-day"}, "Tomé Brisson", clock())[0].price_minor
    assert refresh_asked_prices(wiring.sessions, wiring.outside, clock) == 0
    clock.move(minutes=15)
    assert refresh_asked_prices(wiring.sessions, wiring.outside, clock) == 1
    with wiring.sessions() as session:
        assert session.get_one(Order, order_id).price_minor == shown
    clock.move(minutes=15)
    world.set_fault("cobaltair", "down", 9)
    refresh_asked_prices(wiring.sessions, wiring.outside, clock)
    with wiring.sessions() as session:
        stopped = session.get_one(Order, order_id)
        assert stopped.price_minor is None
        assert "gave no price" in stopped.snags[0].words


def test_lateness_falls_back_and_says_so() -> None:
    record = {"road": Record("bp", 100, 3), "night": Record("bp", 10, 1), "box": Record("np", 5, 5)}
    assert lateness("road", "bp", record) == Lateness(300, 100, "service")
    assert lateness("night", "bp", record) == Lateness(364, 110, "carrier")
    assert lateness("box", "np", record) == Lateness(783, 115, "shop")
    assert lateness("box", "np", {"box": Record("np", 5, 5)}) == Lateness(0, 0, "nothing")
