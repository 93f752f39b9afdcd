"""The shop's own numbers, and the tables that customs is reckoned by, as a file both ways."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from tidewind.core.customs.numbers import KINDS, bad_number, plain_number
from tidewind.core.customs.tables import read_tables
from tidewind.db.tables import CustomsTablesRow
from tidewind.services.base import Invalid
from tidewind.services.planning import (
    Scope,
    customs_book,
    replan_some,
    shop_settings,
    tables_version,
    written_tables,
)

MOST_BYTES = 2_000_000


@dataclass(frozen=True, slots=True)
class TablesNow:
    """Which tables hold: their name, whether they are samples, and how many rows each table has."""

    version: int
    name: str
    sample: bool
    rows: Mapping[str, int]


def tables_now(session: Session) -> TablesNow:
    """Return which tables hold."""
    tables, written = customs_book(session, shop_settings(session)).tables, written_tables(session)
    counts = {name: len(rows) for name, rows in written.items() if isinstance(rows, list)}
    return TablesNow(tables_version(session), tables.name, tables.sample, counts)


def tables_file(session: Session) -> bytes:
    """Return the tables that hold as a JSON file, to change and bring back."""
    return json.dumps(written_tables(session), ensure_ascii=False, indent=1).encode()


def replace_tables(session: Session, data: bytes, who: str, now: datetime) -> TablesNow:
    """Take other tables; waiting orders are planned anew.  Raises Invalid that names the row that is wrong."""
    if len(data) > MOST_BYTES:
        raise Invalid("too_big", "The file has more than 2 MB. Nothing was changed.")
    try:
        written = json.loads(data)
        if not isinstance(written, dict):
            raise Invalid("bad_tables", "The file holds no tables. Nothing was changed.")
        tables = read_tables(written)
    except (ValueError, RecursionError) as error:
        raise Invalid("bad_tables", f"The tables cannot be read: {str(error)[:200]}. Nothing was changed.") from error
    session.add(CustomsTablesRow(name=tables.name, body=written, by=who))
    session.flush()
    replan_some(session, "other customs tables", now, Scope())
    return tables_now(session)


def own_numbers(session: Session) -> dict[str, str]:
    """Return the shop's own numbers by their kind, in the order in which forms show them."""
    kept = shop_settings(session).customs_numbers
    return {kind: str(kept.get(kind, "")) for kind in KINDS if kind not in {"CPF", "CNPJ"}}


def set_numbers(session: Session, numbers: Mapping[str, str], now: datetime) -> dict[str, str]:
    """Keep the shop's own numbers; waiting orders are planned anew.  Raises Invalid for one of a wrong form."""
    given = {kind: plain_number(number) for kind, number in numbers.items() if number.strip()}
    for kind, number in given.items():
        if kind not in KINDS:
            raise Invalid("unknown_kind", f"No number is called {kind[:40]}.")
        if wrong := bad_number(kind, number):
            raise Invalid("bad_number", wrong)
    shop_settings(session).customs_numbers = given
    session.flush()
    replan_some(session, "other customs numbers", now, Scope())
    return own_numbers(session)
