"""Places, packaging and the policy re-plan what waits; logins and keys; the ledger's rows as people read them."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from threading import Barrier

import psycopg
import pytest
from sqlalchemy import select, text
from sqlalchemy.orm import Session, sessionmaker

from tests.conftest import MONDAY, Clock
from tests.services.steps import ask, books, clear_orders
from tidewind.core.addresses.check import Address
from tidewind.db.engine import make_engine, make_sessions
from tidewind.db.migrate import migrate
from tidewind.db.tables import Order, Place, Shop
from tidewind.running.cluster import Cluster
from tidewind.services.base import Conflict, Invalid, NotFound, ServiceError
from tidewind.services.books import EntryFilter, balance_now, ledger_entries, pay_bill, post, top_up
from tidewind.services.shop import all_places, first_owner, save_packaging, save_place, set_policy
from tidewind.web.access import Wiring

BARN = Address(name="Rui", company="Barn", street="Rua 9", city="Braga", postcode="4700-100", country="PT")
BOX = {
    "code": "CTN-XS",
    "name": "Carton XS",
    "inner_length": 190,
    "inner_width": 120,
    "inner_height": 60,
    "outer_length": 200,
    "outer_width": 130,
    "outer_height": 70,
    "own_g": 60,
    "padding_g": 10,
    "max_load_g": 2000,
    "cost_minor": 30,
    "carrier": None,
    "active": True,
}


def test_one_place_is_the_default_and_a_bad_address_is_refused_in_words(session: Session) -> None:
    made = save_place(session, None, "Barn", BARN, "Gate", "8–17", True)
    assert [(p.name, p.is_default) for p in all_places(session)] == [
        ("Barn", True),
        ("Braga yard", False),
        ("Tile works", False),
    ]
    again = save_place(session, made.id, "Old barn", replace(BARN, city="Porto"), "", "", False)
    assert (again.id, again.name, again.address.city, again.is_default) == (made.id, "Old barn", "Porto", True)
    with pytest.raises(Conflict, match="already a place"):
        save_place(session, None, "Old barn", BARN, "", "", False)
    with pytest.raises(Invalid, match="street is missing"):
        save_place(session, None, "Field", replace(BARN, street=""), "", "", False)
    with pytest.raises(NotFound):
        save_place(session, 999, "Nowhere", BARN, "", "", False)
    assert session.scalars(select(Place.name).where(Place.is_default)).all() == ["Old barn"]


def test_a_new_box_is_used_at_once_and_a_wrong_one_refused(session: Session, clock: Clock) -> None:
    before = {o.number: o.price_minor for o in session.scalars(select(Order).where(Order.state == "open"))}
    save_packaging(session, None, dict(BOX), clock())
    waiting = session.scalars(select(Order).where(Order.state == "open", Order.price_minor.is_not(None))).all()
    used = [o for o in waiting if o.plan.trail["packaging"][0].value == "Carton XS"]
    assert used
    assert all(before[o.number] for o in used)  # each had a plan before, and has one now
    assert all(
        sum(n for p in o.plan.parcels for _, n in p.contents) == sum(ln.quantity for ln in o.lines) for o in used
    )
    with pytest.raises(Conflict, match="already packaging"):
        save_packaging(session, None, dict(BOX), clock())
    with pytest.raises(Invalid, match="inner size is larger"):
        save_packaging(session, None, {**BOX, "code": "ODD", "outer_height": 10}, clock())


def test_the_policy_plans_everything_that_waits_anew(session: Session, clock: Clock) -> None:
    def latest() -> list[tuple[str, int]]:
        orders = session.scalars(
            select(Order).where(Order.state == "open", Order.price_minor.is_not(None)).order_by(Order.id)
        )
        return [(o.arrives.isoformat() if o.arrives else "", o.price_minor or 0) for o in orders]

    assert set_policy(session, "cheapest", clock()) > 40
    cheap = latest()
    set_policy(session, "fastest", clock())
    quick = latest()
    assert all(q[0] <= c[0] and q[1] >= c[1] for q, c in zip(quick, cheap, strict=True))
    assert quick != cheap
    with pytest.raises(ValueError, match="luckiest"):
        set_policy(session, "luckiest", clock())


def test_the_ledger_reads_as_people_expect(wiring: Wiring, clock: Clock) -> None:
    with wiring.sessions() as session:
        order = clear_orders(session, "norvia", 1)[0]
    ask(wiring, [order])
    with wiring.sessions.begin() as session:
        newest, first = ledger_entries(session, EntryFilter())
        assert (newest.kind, first.kind) == ("hold", "top_up")
        assert order.number in newest.reason
        assert [e.id for e in ledger_entries(session, EntryFilter(), newest.id)] == [first.id]
        now = balance_now(session)
        assert (now.available_minor, now.held_minor, now.balance_minor) == (
            60_000 - (order.price_minor or 0),
            order.price_minor,
            60_000,
        )
        for amount in (99, 1_000_001):
            with pytest.raises(Invalid, match="between"):
                top_up(session, amount, "odd-amount", "Inês", MONDAY)
    assert books(wiring)["bank"] == -60_000


def at_once(sessions: sessionmaker[Session], do: Callable[[Session], object], times: int = 8) -> list[str]:
    """Do the same in as many transactions, all begun before any ends; return how each went."""
    together = Barrier(times)

    def one(_: int) -> str:
        with sessions() as session:
            session.execute(text("select 1"))
            together.wait()
            try:
                do(session)
                session.commit()
            except ServiceError as error:
                return error.code
            return "done"

    with ThreadPoolExecutor(times) as pool:
        return sorted(pool.map(one, range(times)))


def test_equal_clicks_at_the_very_same_moment_are_taken_once_and_answered(
    wiring: Wiring, clock: Clock, cluster: Cluster
) -> None:
    before = books(wiring)["available"]
    assert at_once(wiring.sessions, lambda s: top_up(s, 5_000, "one-click", "Inês", clock())) == ["done"] * 8
    assert books(wiring)["available"] == before + 5_000
    with wiring.sessions.begin() as session:
        post(session, "on_account", 900, key="owed", reason="A label on account", at=clock())
    paid = [f"bill-{n}" for n in range(8)]
    assert at_once(wiring.sessions, lambda s: pay_bill(s, 900, paid.pop(), "Inês", clock())) == [
        *["bill_amount"] * 7,
        "done",
    ]
    name = f"{wiring.settings.database_url.rsplit('/', 1)[1]}_empty"
    with psycopg.connect(cluster.admin_url, autocommit=True) as connection:
        connection.execute(f"create database {name} owner tidewind")  # type: ignore[call-overload]
    engine = make_engine(f"{cluster.url.rsplit('/', 1)[0]}/{name}")
    try:
        migrate(engine)

        def begin(session: Session) -> object:
            shop = Shop(id=1, name="F", brand="F", time_zone="Europe/Lisbon", currency="EUR", mail_from="f@f.example")
            return first_owner(session, shop, "ada", "Ada", "four lilac wheelbarrows")

        assert at_once(make_sessions(engine), begin) == [*["already_set_up"] * 7, "done"]
    finally:
        engine.dispose()
