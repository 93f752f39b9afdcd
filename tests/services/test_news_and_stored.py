"""What a transaction wrote is told once it commits; what is kept as JSON is read as it was written, by older versions too."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace

import psycopg
import pytest
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.order_facts import BillTo, Hand
from tidewind.core.stored import (
    NO_ADDRESS,
    NO_PLAN,
    read_address,
    read_hand,
    read_plan,
    write_address,
    write_hand,
    write_plan,
)
from tidewind.db.bulk import write_rows
from tidewind.db.tables import Order, OrderLine, Place, Product
from tidewind.services.base.news import MOST_SINGLE, NEWS_CHANNEL, topics_of
from tidewind.services.planning import Scope
from tidewind.services.planning.records import COLUMNS, SnagRecord, lock_records, write_plans
from tidewind.services.planning.replanning import AT_ONCE
from tidewind.web.access import Wiring


@contextmanager
def heard(wiring: Wiring) -> Iterator[list[str]]:
    """Collect the topics that are told meanwhile."""
    found: list[str] = []
    with psycopg.connect(wiring.settings.database_url, autocommit=True) as connection:
        connection.execute(f"listen {NEWS_CHANNEL}")
        yield found
        found += sorted(note.payload for note in connection.notifies(timeout=0.5))


def first(session: Session) -> Order:
    return session.scalars(select(Order).where(Order.state == "open").order_by(Order.id)).all()[0]


def test_what_commits_is_told_by_topic_and_what_is_rolled_back_is_not(wiring: Wiring) -> None:
    with wiring.sessions() as session:
        order, place = first(session), session.scalars(select(Place)).all()[0]
    with heard(wiring) as topics, wiring.sessions.begin() as session:
        session.get_one(Order, order.id).comment = "by the mapper"
    assert topics == [f"order:{order.id}", "orders", "today"]
    with heard(wiring) as topics, wiring.sessions.begin() as session:
        write_rows(session, Order, ["comment"], [{"id": order.id, "comment": "many at once"}])
    assert topics == [f"order:{order.id}", "orders", "today"]
    with heard(wiring) as topics, wiring.sessions.begin() as session:
        session.execute(update(Order).values(comment="a statement that does not say which"))
    assert topics == ["order", "orders", "today"]
    with heard(wiring) as topics, wiring.sessions.begin() as session:
        session.get_one(Place, place.id).name = "Another shed"
        session.flush()
        session.rollback()
    assert topics == []
    with heard(wiring) as topics, wiring.sessions.begin() as session:
        session.scalars(select(Order)).all()  # looking is no news
    assert topics == []


@pytest.mark.parametrize(
    ("written", "topics"),
    [
        ({"customer_order": [{"id": 3}, {"id": 3}, {"id": 4}]}, ["order:3", "order:4", "orders", "today"]),
        ({"customer_order": [{"id": n} for n in range(MOST_SINGLE + 1)]}, ["order", "orders", "today"]),
        ({"customer_order": []}, ["order", "orders", "today"]),
        ({"shipment": [{"order_id": 3, "batch_id": 7}]}, ["batch:7", "order:3", "orders", "refunds", "today"]),
        (
            {"label": [{"id": 1}], "shipment": [{"order_id": 3, "batch_id": 7}]},
            ["batch", "departures", "order:3", "orders", "refunds", "today"],
        ),
        ({"login_attempt": [{"id": 1}]}, []),
    ],
)
def test_single_topics_stand_for_themselves_until_there_are_many(written, topics) -> None:  # type: ignore[no-untyped-def]
    assert topics_of(written) == topics


def test_stored_values_come_back_as_they_went_and_older_ones_are_read(wiring: Wiring) -> None:
    with wiring.sessions() as session:
        plans = [order.plan for order in session.scalars(select(Order))]
    assert len([p for p in plans if p.quote and p.trail and p.parcels]) > 30
    for plan in plans:
        written = write_plan(plan)
        assert read_plan(written) == plan
        older = {key: value for key, value in written.items() if key not in {"version", "layers"}}
        if plan.quote:
            older["quote"] = {k: v for k, v in written["quote"].items() if k not in {"account", "premium_minor"}}
            assert read_plan(older) == replace(plan, quote=replace(plan.quote, account="", premium_minor=0))
    assert (read_plan({}), write_address(NO_ADDRESS), read_address({})) == (NO_PLAN, {}, NO_ADDRESS)
    home = Address(name="Ana", street="Rua 1", postcode="3500-108", city="Viseu", country="PT")
    assert read_address(write_address(home)) == home
    assert read_address({"name": "Ana", "country": "PT"}) == Address(name="Ana", country="PT")  # fields came later
    for hand in (
        Hand(),
        Hand(extras=frozenset()),
        Hand(packaging="box-m", extras=frozenset({"signature"}), desk=""),
        Hand(bill_to=BillTo("recipient", "447")),
        Hand(released=True, approved="5 EUR", point="L-204"),
    ):
        assert read_hand(write_hand(hand)) == hand
    assert (read_hand({}), write_hand(Hand())) == (Hand(), {})


def test_a_record_is_the_mappers_row_and_what_it_writes_is_read_anew(wiring: Wiring) -> None:
    with wiring.sessions.begin() as session:
        order = first(session)
        record = lock_records(session, Order.id == order.id)[0]
        assert {name: getattr(record, name) for name in COLUMNS} == {name: getattr(order, name) for name in COLUMNS}
        assert record.channel.code == order.channel.code
        assert [(ln.id, ln.sku, ln.quantity) for ln in record.lines] == [
            (ln.id, ln.sku, ln.quantity) for ln in order.lines
        ]
        assert [snag.code for snag in record.snags] == [snag.code for snag in order.snags]
        record.desk, record.price_minor = "Bench", 1
        record.snags = [SnagRecord("no_size", "stops", "no size", "product_size", "X")]
        write_plans(session, [record], {"desk"})
        assert (order.desk, [snag.code for snag in order.snags], order.price_minor == 1) == (
            "Bench",
            ["no_size"],
            False,
        )
        write_plans(session, [], set())


def test_a_change_of_products_looks_at_their_orders_alone(wiring: Wiring) -> None:
    with wiring.sessions() as session:
        sku = first(session).lines[0].sku
        mine = set(session.scalars(select(Order.id).where(Scope(skus=(sku,)).clause)))
        lines = session.scalars(select(OrderLine).where(OrderLine.sku == sku)).all()
        assert mine
        assert mine <= {line.order_id for line in lines}
        assert session.scalars(select(Order.id).where(Scope(skus=("nothing",)).clause)).all() == []
        assert session.scalars(select(Product.sku).where(Product.sku == sku)).one() == sku
    scope = Scope(rules=(1, 2), promise="x", skus=(sku,), orders=(3, 4))
    assert Scope.read(scope.written) == scope
    assert AT_ONCE < 3_000  # a change that touches more than this is never planned inside a request
