"""A scan with what it changed of the bench and of the packing on it, written in one way to the database."""

from __future__ import annotations

from functools import cache
from typing import Any

from sqlalchemy import CTE, bindparam, exists, inspect, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import InstanceState, Session
from sqlalchemy.sql.dml import Insert, Update

from tidewind.db.bulk import Columns
from tidewind.db.engine import ByDriver
from tidewind.db.tables import Bench, BenchScan, Packing

_SCAN = ("bench_id", "packing_id", "person_id", "at", "code", "client_key", "verdict")


def keep_scan(session: Session, scan: Columns, *changed: Bench | Packing | None) -> bool:
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
    scan = insert(BenchScan).values({name: bindparam(f"scan_{name}") for name in _SCAN})
    made = scan.on_conflict_do_nothing(index_elements=["client_key"])
    new = made.returning(BenchScan.id).cte("new")
    statement = select(new.c.id)
    for of, names in changes:
        statement = statement.add_cte(_row(of, names, new).cte(f"written_{of.__tablename__}"))
    return ByDriver(statement)


def _row(of: type[Bench | Packing], names: tuple[str, ...], new: CTE) -> Insert | Update:
    """Return what writes columns of a row if the scan is new; a row whose ``id`` was set is not there yet."""
    table = of.__tablename__
    values = {name: bindparam(f"{table}_{name}", type_=of.__table__.c[name].type) for name in names}
    if "id" in values:
        return insert(of).from_select(names, select(*values.values()).where(exists(select(new.c.id))))
    return update(of).where(of.id == bindparam(f"{table}_is"), exists(select(new.c.id))).values(values)


def changed_in(row: Bench | Packing) -> Columns:
    """Return the columns of a row that were set and not written yet."""
    state: InstanceState[Any] = inspect(row)
    return {name: getattr(row, name) for name, before in state.committed_state.items() if getattr(row, name) != before}
