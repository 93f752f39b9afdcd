"""Many rows written in one statement, where the mapper would send one for each."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from functools import cache
from typing import Any

import orjson
from sqlalchemy import Dialect, TextClause, text
from sqlalchemy.dialects import postgresql
from sqlalchemy.orm import Session

from tidewind.db.base import Base

_DIALECT: Dialect = postgresql.dialect()  # type: ignore[no-untyped-call]


def write_rows(session: Session, table: type[Base], names: Sequence[str], rows: Collection[Mapping[str, Any]]) -> None:
    """Set the columns ``names`` of rows known by ``id``; the values go over as one JSON text.

    What the session holds of these rows in memory is not told.
    """
    if rows:
        statement = _statement(table, tuple(names))
        with session.no_autoflush:
            session.execute(statement, {"rows": orjson.dumps(list(rows)).decode()})


@cache
def _statement(table: type[Base], names: tuple[str, ...]) -> TextClause:
    columns = {name: table.__table__.c[name] for name in names}
    kinds = ", ".join(f"{name} {column.type.compile(_DIALECT)}" for name, column in columns.items())
    sets = ", ".join(f"{name} = r.{name}" for name in names)
    read = f"jsonb_to_recordset(cast(:rows as jsonb)) as r(id bigint, {kinds})"
    # Table and column names come from the mapping above, never from outside.
    return text(f"update {table.__tablename__} t set {sets} from {read} where t.id = r.id")  # noqa: S608
