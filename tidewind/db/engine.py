"""The engine on PostgreSQL, and how its connections are lent: with as few ways to the server and back as are needed."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from time import monotonic
from typing import Any, cast

import orjson
from psycopg import Connection, Cursor, Error, RawCursor
from psycopg.pq import TransactionStatus
from sqlalchemy import JSON, ClauseElement, Dialect, Engine, create_engine, event
from sqlalchemy import Connection as SharedConnection
from sqlalchemy.dialects import registry
from sqlalchemy.dialects.postgresql.psycopg import PGDialect_psycopg
from sqlalchemy.exc import InvalidatePoolError
from sqlalchemy.orm import Session, sessionmaker
from sqlalchemy.sql.compiler import SQLCompiler

_RESTED = 0.1  # seconds; no server stops and is back within them


class KeepingPlans(PGDialect_psycopg):
    """PostgreSQL through psycopg 3, whose connections keep their prepared statements when a transaction is let go.

    Who only reads ends by letting go, and psycopg then forgets all statements of the connection (a table that the
    transaction had made might be gone; ours makes none that a later statement asks for).  Planning the larger ones
    anew takes ten times as long as they do.  After a failure psycopg's own way is gone.
    """

    supports_statement_cache = True

    def do_rollback(self, dbapi_connection: Any) -> None:
        """Let a transaction go."""
        server = dbapi_connection.pgconn
        if server.transaction_status != TransactionStatus.INTRANS:
            dbapi_connection.rollback()
            return
        server.exec_(b"ROLLBACK")
        if server.transaction_status != TransactionStatus.IDLE:
            dbapi_connection.rollback()  # the server is gone; this says so


registry.register("postgresql.keeping_plans", __name__, KeepingPlans.__name__)


def make_engine(url: str, pool_size: int = 10) -> Engine:
    """Return an engine on PostgreSQL through psycopg 3; ``url`` starts with ``postgresql://``.

    Parameters are written the server's own way (``$1``): to look for ``%(name)s`` in an insert of many rows takes
    psycopg longer than the insert.  They are left out of errors, so that no address of a buyer reaches a log.
    """
    driver_url = url.replace("postgresql://", "postgresql+keeping_plans://", 1)
    engine = create_engine(
        driver_url,
        pool_size=pool_size,
        max_overflow=10,
        pool_use_lifo=True,
        json_serializer=_to_json,
        json_deserializer=orjson.loads,
        paramstyle="numeric_dollar",
        connect_args={"cursor_factory": RawCursor},
        hide_parameters=True,
    )
    _ask_the_rested(engine)
    return engine


def _ask_the_rested(engine: Engine) -> None:
    """Ask a connection that has rested whether it still stands, before it is lent.

    The engine's own ``pool_pre_ping`` asks before every lending, which is one way to the server and back for each
    request; one that was in use a moment ago has had no time in which a server could stop and come back.
    """

    @event.listens_for(engine, "checkin")
    def returned(_: Any, record: Any) -> None:
        record.info["returned"] = monotonic()

    @event.listens_for(engine, "checkout")
    def lent(connection: Any, record: Any, _: Any) -> None:
        if monotonic() - record.info.get("returned", monotonic()) < _RESTED:
            return
        try:
            engine.dialect.do_ping(connection)
        except Error as error:
            raise InvalidatePoolError from error


def driver_of(connection: SharedConnection) -> Connection[Any]:
    """Return the driver's connection beneath one of the engine's.

    Raises TypeError where the driver is another one.
    """
    lent = connection.connection.driver_connection
    if not isinstance(lent, Connection):
        raise TypeError("this is no connection of psycopg")
    return lent


class ByDriver:
    """A statement that is put together once and run by the driver itself.

    For what somebody waits for at each step: the way through the engine takes as long as the database takes.
    """

    def __init__(self, statement: ClauseElement) -> None:
        self._statement = statement
        self._written: dict[Dialect, tuple[str, Sequence[tuple[str, bool]], Mapping[str, Any]]] = {}

    def first(self, connection: SharedConnection, given: Mapping[str, Any]) -> tuple[Any, ...] | None:
        """Run the statement with its parameters by name, and return the first row, None where there is none."""
        row: tuple[Any, ...] | None = driver_of(connection).execute(*self.written(connection, given)).fetchone()
        return row

    def all(self, connection: SharedConnection, given: Mapping[str, Any]) -> list[tuple[Any, ...]]:
        """Run the statement with its parameters by name, and return its rows."""
        return driver_of(connection).execute(*self.written(connection, given)).fetchall()

    def written(self, connection: SharedConnection, given: Mapping[str, Any]) -> tuple[str, list[Any]]:
        """Return the statement as the driver takes it, and its parameters in their order."""
        dialect = connection.dialect
        if dialect not in self._written:
            compiled = cast(SQLCompiler, self._statement.compile(dialect=dialect))
            named = [(name, isinstance(compiled.binds[name].type, JSON)) for name in compiled.positiontup or ()]
            self._written[dialect] = str(compiled), named, compiled.params
        statement, places, constants = self._written[dialect]
        values = [(given[name] if name in given else constants[name], is_json) for name, is_json in places]
        return statement, [_to_json(value) if is_json else value for value, is_json in values]


def ask_together(
    connection: SharedConnection, given: Mapping[str, Any], *asked: ByDriver
) -> tuple[list[tuple[Any, ...]], ...]:
    """Run several statements with parameters from ``given``, in one way to the server; return the rows of each.

    They are run one after the other: what one has locked, the next one reads as it is behind the lock.
    """
    driver = driver_of(connection)
    with driver.pipeline():
        cursors = [driver.execute(*one.written(connection, given)) for one in asked]
    return tuple(cursor.fetchall() for cursor in cursors)


@contextmanager
def plain_connection(session: Session) -> Iterator[Connection[Any]]:
    """Lend the session's own connection to code that writes its parameters as ``%(name)s``."""
    lent = driver_of(session.connection())
    usual, lent.cursor_factory = lent.cursor_factory, Cursor
    try:
        yield lent
    finally:
        lent.cursor_factory = usual


def _to_json(value: Any) -> str:
    return orjson.dumps(value, option=orjson.OPT_NON_STR_KEYS).decode()


def make_sessions(engine: Engine) -> sessionmaker[Session]:
    """Return a session maker whose objects stay readable after commit."""
    return sessionmaker(engine, expire_on_commit=False)
