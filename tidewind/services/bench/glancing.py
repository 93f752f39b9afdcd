"""What most scans need of a bench: read in one way to the database, written in one, and without the mapper.

A packer waits for each of them.  Whoever changes more than the count of an item reads the session's own rows.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from functools import cache
from typing import Any, TypeVar

from sqlalchemy import bindparam, exists, inspect, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import InstanceState, Session
from sqlalchemy.orm.attributes import set_committed_value

from tidewind.db.base import Base
from tidewind.db.engine import ByDriver
from tidewind.db.tables import Bench, BenchScan, Packing, Person, Shop
from tidewind.services.bench.standing import TAKEN, AtBench, at_bench, done_today, plain_name

Row = TypeVar("Row", bound=Base)
_BENCH = (Bench.id, Bench.name, Bench.packer_id, Bench.packing_id, Bench.said, Bench.pieces)
_PERSON = (Person.id, Person.name, Person.active)
_SHOP = (Shop.bench, Shop.units)
_PACKING = (
    *(Packing.id, Packing.order_id, Packing.state, Packing.items, Packing.facts),
    *(Packing.steps, Packing.weights_g, Packing.mistakes),
)
# Locked rows are read as they are behind the lock, and no row comes where the bench has another packing by then.
_GLANCE = ByDriver(
    at_bench(*_BENCH, *_PERSON, *_SHOP, *_PACKING, *done_today(), TAKEN)
    .join(Packing, Packing.id == Bench.packing_id)
    .with_for_update(of=[Bench, Packing])
)


def glance_at(session: Session, name: str, who_id: int, now: datetime, client_key: str) -> AtBench | None:
    """Lock a bench with the packing on it, and return copies of both, which no session writes.

    Return None where no order is open there, or who packed there may no more: ``locked_bench`` says what is so.
    """
    given = {"name": plain_name(name), "who_id": who_id, "now": now, "client_key": client_key}
    row = _GLANCE.first(session.connection(), given)
    if row is None:
        return None
    values = iter(row)
    bench, packer = _copy(Bench, _BENCH, values), _copy(Person, _PERSON, values)
    shop, packing = _copy(Shop, _SHOP, values), _copy(Packing, _PACKING, values)
    packed, mistakes, known = values
    return AtBench(bench, packer, shop, packed, mistakes, known, packing) if packer.active else None


def _copy(of: type[Row], columns: Sequence[Any], values: Iterator[Any]) -> Row:
    copy = of()
    for column, value in zip(columns, values, strict=False):
        set_committed_value(copy, column.key, value)
    return copy


def keep_scan(session: Session, scan: dict[str, Any], *changed: Bench | Packing | None) -> bool:
    """Write a scan and what it changed in one statement: at a bench somebody waits for each way to the database.

    Return whether it was written: nothing is where the same one was taken before.  The rows are the session's no more.
    """
    rows = [(row, changed_in(row)) for row in changed if row is not None]
    given = {f"{row.__tablename__}_{name}": value for row, values in rows for name, value in values.items()}
    given |= {f"{row.__tablename__}_is": row.id for row, values in rows if values}
    given |= {f"scan_{name}": value for name, value in scan.items()}
    statement = _writing(*((type(row), tuple(values)) for row, values in rows if values))
    new = statement.first(session.connection(), given) is not None
    for row, _ in rows:
        if row in session:
            session.expunge(row)  # else the session would look once more for what there is to write
    return new


@cache
def _writing(*changes: tuple[type[Bench | Packing], tuple[str, ...]]) -> ByDriver:
    """Return the statement that writes a scan, and beside it columns of rows; it returns nothing if it was known."""
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
    return ByDriver(statement)


def changed_in(row: Bench | Packing) -> dict[str, Any]:
    """Return the columns of a row that were set and not written yet."""
    state: InstanceState[Any] = inspect(row)
    return {name: getattr(row, name) for name, before in state.committed_state.items() if getattr(row, name) != before}
