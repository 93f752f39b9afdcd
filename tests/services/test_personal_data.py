"""A buyer's data is handed over whole, and erased wherever it stands; what still has to arrive is kept and named."""

from __future__ import annotations

import json
from dataclasses import replace

import psycopg
import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tests.services.steps import agree, ask, books, buy, ids_of
from tidewind.core.addresses.check import Address
from tidewind.core.customs.said import CustomsSaid
from tidewind.db.tables import Contact, Order, Shipment
from tidewind.services.base import Invalid
from tidewind.services.follow import Erasure, erase_person, personal_data
from tidewind.services.orders import NewLine, NewOrder, run_import, store_orders, upload_file
from tidewind.standins.world import World
from tidewind.web.access import Wiring

MAIL = "zenobia@buyer.example"
TELLING = ("zenobia", "zentax", "dovetail", "thistledown lane", "910 555 777")
HOME = Address(
    name="Zenobia Dovetail",
    street="Thistledown Lane 9",
    city="Viseu",
    postcode="3500-108",
    country="PT",
    phone="+351 910 555 777",
    email="Zenobia@buyer.example",
)
FILE = """Order,Name,Street,City,Postcode,Country,Email,SKU,Quantity
Z-9,Zenobia Dovetail,Thistledown Lane 9,Viseu,3500-108,PT,zenobia@buyer.example,HF-02,1
Y-9,Somebody Else,Other Street 1,Viseu,3500-108,PT,else@buyer.example,HF-02,1
"""


def an_order(session: Session, number: str, clock: Clock) -> Order:
    from tidewind.db.tables import Channel

    channel = session.scalars(select(Channel).order_by(Channel.id)).first()
    assert channel
    made = NewOrder(
        number=number,
        address=HOME,
        lines=(NewLine("HF-02", "Hand fork", 1, 1_290, 240),),
        ordered_at=clock(),
        note="For Zenobia",
        billing_name="Zenobia Dovetail",
    )
    (record,), _ = store_orders(session, channel, [made], clock())
    return session.get_one(Order, record.id)


def all_that_is_kept(url: str) -> str:
    """Every table as one text, but what waits in the queue."""
    with psycopg.connect(url) as shop:
        names = [str(n) for (n,) in shop.execute("select tablename from pg_tables where schemaname = 'public'")]
        rows = [shop.execute(f"select x::text from {n} x").fetchall() for n in names if "procrastinate" not in n]  # type: ignore[call-overload]
    return "\n".join(str(row[0]) for table in rows for row in table).casefold()


def test_what_is_kept_is_handed_over_and_erased_wherever_it_stands(wiring: Wiring, world: World, clock: Clock) -> None:
    with wiring.sessions.begin() as session:
        orders = [an_order(session, f"Z-{n}", clock) for n in range(2)]
        for order in orders:
            order.hand = replace(order.hand, customs=CustomsSaid(recipient_number="zentax-447"))
        session.add(Contact(code="ZEN", address=HOME, search="zenobia dovetail"))
        row = upload_file(session, "zenobia.csv", FILE.encode(), 1)
        row.file_name = "orders.csv"
        run_import(session, row.id, clock())
        imported = session.scalars(select(Order).where(Order.number == "Z-9")).one()
        imported.state, imported.state_by = "cancelled", "channel"
    (shipment_id,) = ids_of(wiring, ask(wiring, orders[:1]).batch_id)
    assert buy(wiring, shipment_id) == "bought"
    before = books(wiring)
    with wiring.sessions.begin() as session:
        told = json.dumps(personal_data(session, " ZENOBIA@buyer.example "), default=str).casefold()
        assert all(word in told for word in TELLING)
        assert {o["number"] for o in personal_data(session, MAIL)["orders"]} == {"Z-0", "Z-1", "Z-9"}
        assert erase_person(session, MAIL, "Inês", clock()) == Erasure(1, ("Z-0", "Z-1"))
    assert "thistledown lane" in all_that_is_kept(wiring.settings.database_url)  # one is on its way, one waits
    with wiring.sessions.begin() as session:
        session.get_one(Shipment, shipment_id).tracking_state = "delivered"
        waiting = session.scalars(select(Order).where(Order.number == "Z-1")).one()
        waiting.state, waiting.state_by = "cancelled", "channel"
        session.flush()
        assert erase_person(session, MAIL, "Inês", clock()) == Erasure(2, ())
    left = all_that_is_kept(wiring.settings.database_url)
    assert [line[:300] for line in left.split("\n") if any(word in line for word in TELLING)] == []
    assert "somebody else" in left
    assert books(wiring) == before  # the books stay as they were
    agree(wiring, world)
    with wiring.sessions.begin() as session:
        order = session.scalars(select(Order).where(Order.number == "Z-0")).one()
        assert (order.address.country, order.lines[0].name, order.search) == ("PT", "Hand fork", "z-0")
        assert erase_person(session, MAIL, "Inês", clock()) == Erasure(0, ())
        for bad in ("", "zenobia", "a@b.example,c@d.example"):
            with pytest.raises(Invalid):
                personal_data(session, bad)
