"""What people do in the shop, as one call each, and what its books and the carriers say afterwards."""

from __future__ import annotations

from datetime import datetime
from importlib import resources

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tests.run.mother import mother
from tidewind.db.tables import (
    LedgerAccount,
    LedgerEntry,
    LedgerLine,
    Order,
    Person,
    Shipment,
)
from tidewind.services.buying import (
    PurchaseAsked,
    ToBuy,
    ask_to_buy,
    batch_shipments,
    buy_shipment,
)
from tidewind.standins.world import World
from tidewind.web.access import Wiring


def as_a_process(wiring: Wiring) -> dict[str, str]:
    """Return the environment in which another process works in the same shop."""
    return {
        "TIDEWIND_DATABASE_URL": wiring.settings.database_url,
        "TIDEWIND_STANDINS_URL": wiring.settings.standins_url,
        "TIDEWIND_DEMO": "1",
        "TIDEWIND_SECRET_KEY_FILE": str(wiring.settings.key_file),
    }


def crash(wiring: Wiring, point: str, what: str, at: datetime) -> int:
    """Do something in a process that kills itself at a named point (``tests.services.crash``); return how it ended."""
    given = (point, what, at.isoformat())
    return mother().run("tests.services.crash", "main", *given, environment=as_a_process(wiring))


def clear_orders(session: Session, carrier: str, count: int) -> list[Order]:
    query = select(Order).where(Order.state == "open", Order.carrier == carrier, Order.price_minor.is_not(None))
    return list(session.scalars(query.order_by(Order.id).limit(count)))


def person(session: Session, login: str) -> int:
    return session.scalars(select(Person.id).where(Person.login == login)).one()


def ask(wiring: Wiring, orders: list[Order], key: str = "one-click", login: str = "tome") -> PurchaseAsked:
    with wiring.sessions.begin() as session:
        wishes = [ToBuy(o.id, o.price_minor or 0) for o in orders]
        return ask_to_buy(session, wishes, key, person(session, login), wiring.clock())


def ids_of(wiring: Wiring, batch_id: int) -> list[int]:
    with wiring.sessions() as session:
        return [s.id for s in batch_shipments(session, batch_id)]


def buy(wiring: Wiring, shipment_id: int) -> str:
    return buy_shipment(wiring.sessions, wiring.outside, shipment_id, wiring.clock)


def books(wiring: Wiring) -> dict[str, int]:
    with wiring.sessions() as session:
        found = {a.code: a.balance_minor for a in session.scalars(select(LedgerAccount))}
        summed = dict(
            session.execute(
                select(LedgerLine.account, func.sum(LedgerLine.amount_minor)).group_by(LedgerLine.account)
            ).all()
        )
    assert sum(found.values()) == 0
    assert {k: v for k, v in found.items() if v} == {k: int(v) for k, v in summed.items() if v}
    return found


def agree(wiring: Wiring, world: World, carrier: str = "norvia") -> int:
    """Our live shipments and the carrier's book say the same, to the cent; return how many there are."""
    with wiring.sessions() as session:
        ours = session.scalars(select(Shipment).where(Shipment.state == "bought", Shipment.carrier == carrier)).all()
        mine = {s.idempotency_key: (s.price_minor, [lb.tracking_number for lb in s.labels]) for s in ours}
        charged = session.scalar(
            select(func.coalesce(func.sum(LedgerLine.amount_minor), 0))
            .join(LedgerEntry)
            .join(Shipment, Shipment.id == LedgerEntry.shipment_id)
            .where(LedgerLine.account == "postage", Shipment.carrier == carrier)
        )
    theirs = {
        b["key"]: (b["price_minor"], [p["tracking_number"] for p in b["parcels"]])
        for b in world.book(carrier)
        if not b["cancelled"]
    }
    assert mine == theirs
    assert charged == sum(price for price, _ in mine.values())
    return len(mine)


def sample(name: str) -> bytes:
    return resources.files("tidewind.data").joinpath(name).read_bytes()


def by_number(session: Session, number: str) -> Order:
    return session.scalars(select(Order).where(Order.number == number)).one()


def of(session: Session, name: str) -> Order:
    return session.scalars(select(Order).where(Order.address["name"].astext == name)).one()
