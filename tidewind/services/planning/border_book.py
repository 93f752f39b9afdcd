"""What the shop reckons customs by: its tables, or the samples that ship while it has none, and its own numbers."""

from __future__ import annotations

import json
from functools import lru_cache
from importlib.resources import files

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.customs.tables import CustomsBook, Tables, read_tables
from tidewind.core.written import Written
from tidewind.db.tables import CustomsTablesRow
from tidewind.db.tables import Shop as ShopRow

_read: dict[int, Tables] = {}
SHIPPED = 0
"""The version of the tables that ship."""


@lru_cache(maxsize=1)
def shipped_tables() -> Written:
    """Return the written form of the sample tables that ship."""
    text = (files("tidewind.data") / "customs" / "sample-tables.json").read_text(encoding="utf-8")
    return dict(json.loads(text))


def tables_version(session: Session) -> int:
    """Return the version of the tables that hold."""
    return session.scalar(select(func.max(CustomsTablesRow.id))) or SHIPPED


def written_tables(session: Session) -> Written:
    """Return the written form of the tables that hold."""
    version = tables_version(session)
    return session.get_one(CustomsTablesRow, version).body if version else shipped_tables()


def customs_book(session: Session, shop: ShopRow) -> CustomsBook:
    """Return what customs is reckoned by; a version of the tables never changes and is kept in memory."""
    version = tables_version(session)
    if version not in _read:
        _read.clear()
        _read[version] = read_tables(written_tables(session))
    numbers = {str(kind): str(number) for kind, number in shop.customs_numbers.items()}
    return CustomsBook(_read[version], numbers, shop.brand)
