"""One price for a ship date, wherever it is asked: plan, matrix, comparison, quote, preflight, purchase."""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tests.run.length import LONG, seeds
from tests.services.steps import ask, buy, clear_orders, ids_of, of
from tests.services.test_late_sales import Only
from tidewind.core.rules.rule import Split
from tidewind.core.tariffs.live import LiveAnswer, LivePrice, Question
from tidewind.db.tables import CarrierRow, Order, RateCardRow, RuleSet, Shipment
from tidewind.outside.carrier import Purchase, Sold, SoldParcel
from tidewind.services.books import top_up
from tidewind.services.buying import buy_shipment, check_orders
from tidewind.services.orders import edit_hand
from tidewind.services.planning import plan_orders
from tidewind.services.rates import (
    QuotedParcel,
    QuoteRequest,
    ask_prices_of_order,
    compare_order,
    price_matrix,
    quote_services,
)
from tidewind.web.access import Wiring

THURSDAY = datetime(2026, 11, 26, 10, tzinfo=UTC)
DECEMBER = date(2026, 12, 2)


def sums(session: Session, order: Order, now: datetime, service: str) -> set[int | None]:
    """Everything the program says a service costs for an order, net."""
    matrix = price_matrix(session, [order.id], now)
    column = [s.code for _, s in matrix.services].index(service)
    compared = compare_order(session, order.id, now)
    assert compared is not None
    cells = [c for c in compared.compared.cells if c.option.service == service and c.box in {"", "carrier"}]
    said = {matrix.rows[0].prices[column], *(c.option.quote.net if c.option.quote else None for c in cells)}
    return said | ({order.price_minor} if order.service == service else set())


def test_a_label_for_december_costs_what_december_asks_everywhere(wiring: Wiring, clock: Clock) -> None:
    clock.move(days=(THURSDAY - clock()).days)
    with wiring.sessions.begin() as session:
        order = session.scalars(
            select(Order).where(Order.state == "open", Order.carrier == "norvia", Order.parcel_count == 1)
        ).first()
        assert order is not None
        service = "np-economy"
        edit_hand(session, [order.id], {"service": service, "ship_date": date(2026, 11, 27)}, "Inês", clock())
        (november,) = sums(session, order, clock(), service)
        edit_hand(session, [order.id], {"ship_date": DECEMBER}, "Inês", clock())
        (december,) = sums(session, order, clock(), service)
        assert order.ship_date == DECEMBER
        assert (november, december) != (None, None)
        assert november != december
        parcel = order.plan.parcels[0]
        asked = QuoteRequest(
            order.address,
            order.home,
            (QuotedParcel(parcel.gross_g, parcel.sides_mm),),
            order.plan.value_minor,
            ship_date=DECEMBER,
        )
        quoted = next(c for c in quote_services(session, asked, clock()).compared.cells if c.option.service == service)
        assert quoted.option.quote is not None
        assert quoted.option.quote.net == december
        checked = check_orders(session, {order.id: december}, 1, clock())
        assert checked.total == december
    (shipment_id,) = ids_of(wiring, ask(wiring, [order]).batch_id)
    assert buy(wiring, shipment_id) == "bought"
    with wiring.sessions() as session:
        assert session.get_one(Shipment, shipment_id).price_minor == december


@pytest.mark.parametrize(
    ("when", "cheap", "dear"),
    [
        ({"weekdays": [5]}, date(2026, 11, 26), date(2026, 11, 27)),
        ({"ship_from": "2026-11-30", "ship_until": "2026-12-24"}, date(2026, 11, 27), date(2026, 11, 30)),
    ],
    ids=["a weekday", "a season's edge"],
)
@pytest.mark.parametrize("by_ship_date", [True, False], ids=["by ship date", "by day of purchase"])
def test_seasons_weekdays_and_fuel_follow_the_day_the_card_names(
    session: Session, clock: Clock, when: dict[str, object], cheap: date, dear: date, by_ship_date: bool
) -> None:
    clock.move(days=(THURSDAY - clock()).days)
    norvia = session.scalars(
        select(RateCardRow).join(CarrierRow).where(CarrierRow.code == "norvia").order_by(RateCardRow.id)
    ).first()
    assert norvia is not None
    extra = {"code": "fifth_day", "name": "Fifth day", "fixed": 77, "when": when}
    services = [
        {**one, "surcharges": [*one.get("surcharges", []), "fifth_day"]} if one["code"] == "np-economy" else one
        for one in norvia.body["services"]
    ]
    surcharges = [*norvia.body.get("surcharges", []), extra]
    body = {
        **norvia.body,
        "priced_by_ship_date": by_ship_date,
        "valid_until": None,
        "surcharges": surcharges,
        "services": services,
    }
    later = session.scalars(select(RateCardRow).where(RateCardRow.carrier_id == norvia.carrier_id)).all()
    for row in later:
        session.delete(row)
    session.flush()
    made = {c.key: getattr(norvia, c.key) for c in RateCardRow.__mapper__.column_attrs if c.key != "id"}
    session.add(RateCardRow(**{**made, "body": body, "valid_until": None}))
    session.flush()
    order = of(session, "Tomás Vilaça")
    found = {}
    for day in (cheap, dear):
        edit_hand(session, [order.id], {"service": "np-economy", "ship_date": day}, "Inês", clock())
        (found[day],) = sums(session, order, clock(), "np-economy")
    assert (found[dear] or 0) - (found[cheap] or 0) == (77 if by_ship_date else 0)


@pytest.mark.parametrize("seed", seeds(1))
def test_matrix_comparison_plan_and_purchase_say_one_sum_whatever_the_layers_settled(
    wiring: Wiring, clock: Clock, seed: int
) -> None:
    with wiring.sessions.begin() as session:
        planned = _all_say_the_same(session, clock, seed)
        top_up(session, 1_000_000, f"for all of {seed}", "Inês", clock())
    wanted = planned if LONG else planned[:8]
    for shipment_id in ids_of(wiring, ask(wiring, wanted).batch_id):
        assert buy(wiring, shipment_id) == "bought"
    with wiring.sessions() as session:
        sold = {s.order_id: s.price_minor for s in session.scalars(select(Shipment)) if s.bought_at}
        assert all(sold[order.id] == order.price_minor for order in wanted)
        assert {order.id for order in wanted} <= sold.keys()
        print(f"{len(wanted)} bought at what the plan, the matrix and the comparison said")


def _all_say_the_same(session: Session, clock: Clock, seed: int) -> list[Order]:
    clock.move(days=(THURSDAY - clock()).days, hours=9)  # after every cut-off: all leaves on another day than today
    session.add(RuleSet(created_at=clock(), rules=[
        {"id": "late", "name": "Later", "on": True, "when": {"fact": "items", "test": "at_least", "to": 2},
         "do": [{"set": "ship_date", "to": {"working_days": 2}}]},
    ]))  # fmt: skip
    session.flush()
    chance = random.Random(seed)
    orders = list(session.scalars(select(Order).where(Order.state == "open").order_by(Order.id)))
    boxes = ["CTN-L", "CTN-XL", None]
    for order in orders:
        hand = replace(
            order.hand,
            ship_date=chance.choice([None, None, DECEMBER, date(2026, 12, 1), THURSDAY.date() + timedelta(days=4)]),
            packaging=chance.choice(boxes),
            extras=chance.choice([None, frozenset({"signature"}), frozenset()]),
            split=chance.choice([None, None, Split("quantity", 1)]),
        )
        order.hand = hand
    plan_orders(session, orders, clock())
    session.flush()
    matrix = price_matrix(session, [o.id for o in orders], clock())
    codes = [s.code for _, s in matrix.services]
    seen = 0
    for row in matrix.rows:
        compared = compare_order(session, row.order.id, clock())
        assert compared is not None
        usual = {c.option.service: c.option for c in compared.compared.cells if c.box in {"", "carrier"}}
        for code, price, day in zip(codes, row.prices, row.arrives, strict=True):
            option = usual[code]
            if option.quote is None and option.refused and option.refused.reason in {"not_asked", "no_answer"}:
                continue
            assert price == (option.quote.net if option.quote else None), (row.order.number, code, option.refused)
            assert day == (option.arrival.latest if option.arrival else None)
            seen += price is not None
        if row.order.price_minor is not None:
            assert row.prices[codes.index(row.order.service or "")] == row.order.price_minor
    assert seen > 150
    return [order for order in orders if order.price_minor is not None]


class ByDay:
    """A carrier that is asked, and whose price is another on each day; it notes the days it is asked about."""

    def __init__(self) -> None:
        self.asked: list[date] = []

    def quotes(self, question: Question, now: datetime) -> LiveAnswer:
        self.asked.append(question.ship_date)
        price = LivePrice((("base", "Base", 500 + question.ship_date.day),), 900, 0, 900)
        return LiveAnswer(now, now + timedelta(minutes=15), {"ca-day": price}, {})

    def buy(self, key: str, purchase: Purchase) -> Sold:
        return Sold(500 + purchase.ship_date.day, (SoldParcel(f"CA{key[-8:]}", ""),))


def test_an_asked_carrier_charges_for_the_day_what_was_shown_for_it(wiring: Wiring, clock: Clock) -> None:
    carrier = ByDay()
    outside = Only(wiring.outside, carrier)  # type: ignore[arg-type]
    later = date(2026, 11, 27)
    with wiring.sessions() as session:
        order = next(o for o in clear_orders(session, "norvia", 60) if o.parcel_count == 1)
    with wiring.sessions.begin() as session:
        edit_hand(session, [order.id], {"service": "ca-day", "ship_date": later}, "Inês", clock())
    ask_prices_of_order(wiring.sessions, outside, order.id, None, clock())  # type: ignore[arg-type]
    assert set(carrier.asked) == {later}
    with wiring.sessions() as session:
        order = session.get_one(Order, order.id)
        assert (order.service, order.ship_date, order.price_minor) == ("ca-day", later, 527)
    (shipment_id,) = ids_of(wiring, ask(wiring, [order]).batch_id)
    assert buy_shipment(wiring.sessions, outside, shipment_id, wiring.clock) == "bought"  # type: ignore[arg-type]
    with wiring.sessions() as session:
        assert session.get_one(Shipment, shipment_id).price_minor == 527
