"""Many rows written in one statement, where the mapper would send one for each."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from functools import cache
from types import NoneType
from typing import Any, TypeVar

import orjson
from sqlalchemy import Dialect, TextClause, inspect, text
from sqlalchemy.dialects import postgresql
from sqlalchemy.orm import Session
from sqlalchemy.orm.attributes import set_committed_value

from tidewind.db.base import Base
from tidewind.db.stored import Stored
from tidewind.db.written import note_written

Row = TypeVar("Row", bound=Base)
Columns = dict[str, Any]
"""What is written of a row, or asked of a statement, by name."""
_DIALECT: Dialect = postgresql.dialect()  # type: ignore[no-untyped-call]


def write_rows(session: Session, table: type[Base], names: Sequence[str], rows: Collection[Mapping[str, Any]]) -> None:
    """Set the columns ``names`` of rows known by ``id``; the values go over as one JSON text.

    What the session holds of these rows in memory is not told.
    """
    if rows:
        note_written(session, table.__tablename__, rows)
        _write(session, table, names, rows)


def _write(session: Session, table: type[Base], names: Sequence[str], rows: Collection[Mapping[str, Any]]) -> None:
    with session.no_autoflush:
        session.execute(_statement(table, tuple(names)), {"rows": _dumped(table, rows)})


def take_ids(session: Session, table: type[Base], count: int) -> list[int]:
    """Return ids that rows to be inserted may have; the database gives them to nobody else."""
    sequence = text("select nextval(pg_get_serial_sequence(:name, 'id')) from generate_series(1, :count)")
    return list(session.scalars(sequence, {"name": table.__tablename__, "count": count}))


def insert_rows(session: Session, table: type[Base], rows: Sequence[Mapping[str, Any]]) -> None:
    """Insert rows that all have the same columns; those left out get the default of the mapping, if it has one."""
    if rows:
        defaults = _defaults(table, frozenset(rows[0]))
        statement = _insertion(table, (*rows[0], *defaults))
        note_written(session, table.__tablename__, rows)
        with session.no_autoflush:
            session.execute(statement, {"rows": _dumped(table, [{**defaults, **row} for row in rows])})


def write_changed(session: Session, rows: Sequence[Base], names: Sequence[str]) -> None:
    """Write the columns ``names`` of rows that the session holds, all of one table, and take them for written."""
    if not rows:
        return
    _write(session, type(rows[0]), names, [{name: getattr(row, name) for name in ("id", *names)} for row in rows])
    note_written(session, rows[0].__tablename__, rows)
    for row in rows:
        for name in names if inspect(row).modified else ():
            set_committed_value(row, name, getattr(row, name))


def _dumped(table: type[Base], rows: Collection[Mapping[str, Any]]) -> str:
    """Return rows as one JSON text, values that have a written form in that; what is written already stays as it is."""
    writers = _writers(table)
    plain = [
        {
            name: writers[name](value) if name in writers and not isinstance(value, (dict, NoneType)) else value
            for name, value in row.items()
        }
        for row in rows
    ]
    return orjson.dumps(plain).decode()


@cache
def _writers(table: type[Base]) -> dict[str, Callable[[Any], dict[str, Any]]]:
    return {column.name: column.type.write for column in table.__table__.c if isinstance(column.type, Stored)}


def _defaults(table: type[Base], given: frozenset[str]) -> dict[str, Any]:
    return {name: make(None) if makes else make for name, makes, make in _defaults_left(table, given)}


@cache
def _defaults_left(table: type[Base], given: frozenset[str]) -> list[tuple[str, bool, Any]]:
    kept = [(c.name, c.default) for c in table.__table__.c if c.name not in given and c.default is not None]
    return [(name, default.is_callable, default.arg) for name, default in kept]


# Table and column names below come from the mapping, never from outside.
@cache
def _statement(table: type[Base], names: tuple[str, ...]) -> TextClause:
    sets = ", ".join(f"{name} = r.{name}" for name in names)
    read = _read(table, ("id", *names))
    return text(f"update {table.__tablename__} t set {sets} from {read} where t.id = r.id")  # noqa: S608


@cache
def _insertion(table: type[Base], names: tuple[str, ...]) -> TextClause:
    listed = ", ".join(names)
    return text(f"insert into {table.__tablename__} ({listed}) select {listed} from {_read(table, names)}")  # noqa: S608


def _read(table: type[Base], names: tuple[str, ...]) -> str:
    kinds = ", ".join(f"{name} {table.__table__.c[name].type.compile(_DIALECT)}" for name in names)
    return f"jsonb_to_recordset(cast(:rows as jsonb)) as r({kinds})"
