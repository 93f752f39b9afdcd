"""What a transaction has written, table by table, so that whoever must hear of it can be told when it commits."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from sqlalchemy.orm import Session

KEY = "written"
NAMED_BY = ("id", "order_id", "batch_id")
"""The columns that say what a row is about; a row itself is not kept, so that it can be forgotten as ever."""
Named = Mapping[str, int]


def note_written(session: Session, table: str, rows: Iterable[Any] = ()) -> None:
    """Note that rows of a table were written; without ``rows`` it is not known which."""
    noted: dict[str, list[Named]] = session.info.setdefault(KEY, {})
    noted.setdefault(table, []).extend(map(_named, rows))


def _named(row: Any) -> Named:
    values = row if isinstance(row, Mapping) else row.__dict__
    return {name: values[name] for name in NAMED_BY if values.get(name) is not None}


def take_written(session: Session) -> dict[str, list[Named]]:
    """Return what was written since the last time, and forget it."""
    taken: dict[str, list[Named]] = session.info.pop(KEY, {})
    return taken


def has_written(session: Session) -> bool:
    """Tell whether a session has written anything since its transaction began, or is about to."""
    return bool(session.info.get(KEY) or session.new or session.dirty or session.deleted)
