"""The declarative base, column kinds shared by all tables, and the engine."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from typing import Annotated, Any

import orjson
from psycopg import Connection, Cursor, RawCursor
from sqlalchemy import BigInteger, DateTime, Engine, ForeignKey, MetaData, String, create_engine, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Session, mapped_column, sessionmaker

NAMES = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}

Id = Annotated[int, mapped_column(BigInteger, primary_key=True)]
Instant = Annotated[datetime, mapped_column(DateTime(timezone=True))]
Created = Annotated[datetime, mapped_column(DateTime(timezone=True), server_default=func.now())]
Json = Annotated[dict[str, Any], mapped_column(JSONB)]
JsonList = Annotated[list[Any], mapped_column(JSONB)]
Code = Annotated[str, mapped_column(String(60))]
Words = Annotated[str, mapped_column(String(500))]


class Base(DeclarativeBase):
    """Base of all tables."""

    metadata = MetaData(naming_convention=NAMES)
    type_annotation_map = {datetime: DateTime(timezone=True), dict[str, Any]: JSONB, list[Any]: JSONB}  # noqa: RUF012


def reference(target: str, *, cascade: bool = False, index: bool = True) -> Any:
    """Return a foreign-key column to ``target`` (table.column); without ``index`` where another one serves."""
    return mapped_column(BigInteger, ForeignKey(target, ondelete="CASCADE" if cascade else None), index=index)


def make_engine(url: str, pool_size: int = 10) -> Engine:
    """Return an engine on PostgreSQL through psycopg 3; ``url`` starts with ``postgresql://``.

    Parameters are written the server's own way (``$1``): to look for ``%(name)s`` in an insert of many rows takes
    psycopg longer than the insert.  They are left out of errors, so that no address of a buyer reaches a log.
    """
    driver_url = url.replace("postgresql://", "postgresql+psycopg://", 1)
    return create_engine(
        driver_url,
        pool_size=pool_size,
        max_overflow=10,
        pool_pre_ping=True,
        json_serializer=_to_json,
        json_deserializer=orjson.loads,
        paramstyle="numeric_dollar",
        connect_args={"cursor_factory": RawCursor},
        hide_parameters=True,
    )


@contextmanager
def plain_connection(session: Session) -> Iterator[Connection[Any]]:
    """Lend the session's own connection to code that writes its parameters as ``%(name)s``."""
    lent = session.connection().connection.driver_connection
    if not isinstance(lent, Connection):
        raise TypeError("the session is on no connection of psycopg")
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
