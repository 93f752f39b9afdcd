"""A bench as a scan finds it, read in one way to the database where an order is open there, and written in one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import Any

import orjson
from sqlalchemy import DateTime, Dialect, Select, bindparam, exists, func, inspect, select, true, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import InstanceState, Session, load_only

from tidewind.core.states.packings import PackingState
from tidewind.db.engine import driver_of
from tidewind.db.tables import Bench, BenchScan, Packing, Person, Shop
from tidewind.services.base import Invalid

LONGEST_NAME = 40


@dataclass(slots=True)
class AtBench:
    """A bench, who packs there, the shop, what was done there today, and the packing on it, if any.

    ``known``: the scan that is being taken was taken before, and its answer got lost.  What was read together with the
    lock may have been read before a twin let go of it, so that False is only then the last word when ``sure``.
    """

    bench: Bench
    packer: Person
    shop: Shop
    packed_today: int
    mistakes_today: int
    packing: Packing | None = None
    known: bool = False
    sure: bool = True


def _facts() -> tuple[Any, ...]:
    """Return what is read beside a bench: who packs, the shop, and the parcels and mistakes of the shop's day."""
    local = func.timezone(Shop.time_zone, bindparam("now", type_=DateTime(timezone=True)))
    midnight = func.timezone(Shop.time_zone, func.date_trunc("day", local))
    today = (Packing.bench_id == Bench.id, Packing.started_at >= midnight, Packing.state != PackingState.UNDONE)
    packed = select(func.count(Packing.packed_at)).where(*today).correlate(Bench, Shop)
    mistakes = select(func.coalesce(func.sum(Packing.mistakes), 0)).where(*today).correlate(Bench, Shop)
    return Person, Shop, packed.scalar_subquery(), mistakes.scalar_subquery()


def _bench_with(*more: Any) -> Select[Any]:
    return (
        select(Bench, *_facts(), *more)
        .select_from(Bench)
        .join(Shop, true())
        .join(Person, Person.id == func.coalesce(Bench.packer_id, bindparam("who_id")))
        .where(Bench.name == bindparam("name"))
        .options(load_only(Person.id, Person.name, Person.active))
        .options(load_only(Shop.id, Shop.bench, Shop.currency, Shop.time_zone, Shop.units))
    )


# Made once: to put such a statement together takes longer than the database takes to answer it.
_FRESH: dict[str, Any] = {"populate_existing": True}
_TAKEN = exists().where(BenchScan.client_key == bindparam("client_key"))
_LOCKED = _bench_with().with_for_update(of=Bench)
# Locked rows are read as they are behind the lock, and no row comes where the bench has another packing by then.
_OPEN = _bench_with(Packing, _TAKEN).join(Packing, Packing.id == Bench.packing_id).with_for_update(of=[Bench, Packing])
_SEEN = _bench_with(Packing).outerjoin(Packing, Packing.id == Bench.packing_id)
_TODAY = select(*_facts()[2:]).select_from(Bench).join(Shop, true()).where(Bench.id == bindparam("bench_id"))
_PACKING = select(Packing, _TAKEN).where(Packing.id == bindparam("packing_id")).with_for_update(of=Packing)


def plain_name(name: str) -> str:
    """Return a bench's name without odd spaces."""
    return " ".join(name.split())[:LONGEST_NAME]


def locked_bench(session: Session, name: str, who_id: int, now: datetime, client_key: str = "") -> AtBench:
    """Return a bench by its name with the packing on it, both locked, making the bench at need.

    Raises Invalid for a name that is none.
    """
    if not (plain := plain_name(name)):
        raise Invalid("no_name", "Give the bench a name.")
    given = {"name": plain, "who_id": who_id, "now": now, "client_key": client_key}
    row = session.execute(_OPEN, given, execution_options=_FRESH).first()
    if row is not None:
        at = AtBench(*row)
        at.sure = not client_key
    else:
        at = _locked_empty(session, given)
    if not at.packer.active:
        at.packer = session.get_one(Person, who_id)
    return at


def _locked_empty(session: Session, given: dict[str, Any]) -> AtBench:
    """Lock a bench on which no packing was seen, making it at need."""
    row = session.execute(_LOCKED, given, execution_options=_FRESH).first()
    if row is None:
        made = insert(Bench).values(name=given["name"], said={}, created_at=given["now"])
        session.execute(made.on_conflict_do_nothing())
        row = session.execute(_LOCKED, given, execution_options=_FRESH).one()
    at = AtBench(*row)
    # Whether the scan was taken is asked behind the lock: the same one sent twice waits here for its twin.
    if at.bench.packing_id is None:
        at.known = was_taken(session, given["client_key"])
    else:
        given = {"client_key": given["client_key"], "packing_id": at.bench.packing_id}
        at.packing, at.known = session.execute(_PACKING, given, execution_options=_FRESH).one()
    return at


def was_taken(session: Session, client_key: str) -> bool:
    """Tell whether a scan was taken, behind the bench's lock: its twin has let go of that."""
    with session.no_autoflush:
        return bool(client_key) and bool(session.scalar(select(_TAKEN), {"client_key": client_key}))


def bench_named(session: Session, name: str, who_id: int, now: datetime) -> AtBench:
    """Return a bench by its name as it is, without making it: one that nothing was scanned at is empty."""
    plain = plain_name(name)
    row = session.execute(_SEEN, {"name": plain, "who_id": who_id, "now": now}).first()
    if row is not None:
        return AtBench(*row)
    shop, packer = session.get_one(Shop, 1), session.get_one(Person, who_id)
    return AtBench(Bench(name=plain, said={}, pieces=1), packer, shop, 0, 0)


def count_today(session: Session, at: AtBench, now: datetime) -> None:
    """Count once more what was packed today, after more than an item was counted."""
    session.flush()
    given = {"bench_id": at.bench.id, "now": now}
    at.packed_today, at.mistakes_today = session.execute(_TODAY, given).one()


def keep_scan(session: Session, scan: dict[str, Any], *changed: Bench | Packing | None) -> bool:
    """Write a scan and what it changed in one statement: at a bench somebody waits for each way to the database.

    Return whether it was written: nothing is where the same one was taken before.  The rows are the session's no more.
    """
    rows = [(row, _changed(row)) for row in changed if row is not None]
    given = {f"{row.__tablename__}_{name}": value for row, values in rows for name, value in values.items()}
    given |= {f"{row.__tablename__}_is": row.id for row, values in rows if values}
    given |= {f"scan_{name}": value for name, value in scan.items()}
    connection = session.connection()
    changes = ((type(row), tuple(values)) for row, values in rows if values)
    statement, places = _writing(connection.dialect, *changes)
    sent = [orjson.dumps(one).decode() if isinstance(one := given[name], dict | list) else one for name in places]
    # By the driver itself: the way through the engine takes as long as the database takes to write it.
    new = driver_of(connection).execute(statement, sent).fetchone() is not None
    for row, _ in rows:
        session.expunge(row)  # else the session would look once more for what there is to write
    return new


@cache
def _writing(dialect: Dialect, *changes: tuple[type[Bench | Packing], tuple[str, ...]]) -> tuple[str, Sequence[str]]:
    """Return the statement that writes a scan, and beside it columns of rows; it returns nothing if it was known.

    With it come the names of its parameters in their order.
    """
    kept = ("bench_id", "packing_id", "person_id", "at", "code", "client_key", "verdict")
    scan = insert(BenchScan).values({name: bindparam(f"scan_{name}") for name in kept})
    made = scan.on_conflict_do_nothing(index_elements=["client_key"])
    new = made.returning(BenchScan.id).cte("new")
    statement = select(new.c.id)
    for of, names in changes:
        table = of.__tablename__
        written = update(of).where(of.id == bindparam(f"{table}_is"), exists(select(new.c.id)))
        values = {name: bindparam(f"{table}_{name}", type_=of.__table__.c[name].type) for name in names}
        statement = statement.add_cte(written.values(values).cte(f"written_{table}"))
    compiled = statement.compile(dialect=dialect)
    return str(compiled), compiled.positiontup or ()


def _changed(row: Bench | Packing) -> dict[str, Any]:
    """Return the columns of a row that were set and not written yet."""
    state: InstanceState[Any] = inspect(row)
    return {name: getattr(row, name) for name, before in state.committed_state.items() if getattr(row, name) != before}
