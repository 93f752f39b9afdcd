"""Offers and rate tables of the checkout: versions, each kept for ever, the newest that holds is in force."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from functools import lru_cache
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import tidy
from tidewind.core.checkout.sheets import has_bands, sheet_of, table_of
from tidewind.core.checkout.written import Checkout, read_checkout
from tidewind.core.written import Written
from tidewind.db.tables import CheckoutVersion
from tidewind.outside.sheets_out import tables_to_csv, tables_to_xlsx, unharmed
from tidewind.outside.spreadsheets import SpreadsheetError, read_tables
from tidewind.services.base import Conflict, Invalid, NotFound, one_at_a_time
from tidewind.services.planning import all_choices, shop_settings

NOTHING: Mapping[str, Any] = {"offers": [], "tables": []}


def newest_checkout(session: Session) -> CheckoutVersion | None:
    """Return the version that was saved last, whether it holds already or not."""
    return session.scalar(select(CheckoutVersion).order_by(CheckoutVersion.id.desc()).limit(1))


def checkout_in_force(session: Session, now: datetime) -> tuple[int, Checkout]:
    """Return the version that holds at a moment, and what it offers; version 0 offers nothing."""
    query = select(CheckoutVersion).where(CheckoutVersion.holds_from <= now)
    row = session.scalar(query.order_by(CheckoutVersion.id.desc()).limit(1))
    return (row.id, _read(session, row)) if row else (0, Checkout())


def next_checkout(session: Session, now: datetime) -> Sequence[datetime]:
    """Return the moment from which another version will hold, if one is waiting for it."""
    query = select(CheckoutVersion.holds_from).where(CheckoutVersion.holds_from > now)
    return session.scalars(query.order_by(CheckoutVersion.holds_from).limit(1)).all()


class _Version:
    """A version as a key: it never changes, so it is read once."""

    def __init__(self, row: CheckoutVersion) -> None:
        self.id, self.created_at, self.body = row.id, row.created_at, row.body

    def __hash__(self) -> int:
        return hash((self.id, self.created_at))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Version) and (self.id, self.body) == (other.id, other.body)


@lru_cache(maxsize=8)
def _compiled(version: _Version, currency: str) -> Checkout:
    return read_checkout(version.body, currency=currency)


def _read(session: Session, row: CheckoutVersion) -> Checkout:
    return _compiled(_Version(row), shop_settings(session).currency)


def try_checkout(session: Session, body: Any, now: datetime) -> Checkout:
    """Return what is written as offers and tables, with everything that is wrong with it."""
    return read_checkout(body, all_choices(session, now).services, shop_settings(session).currency)


def save_checkout(
    session: Session,
    body: Any,
    base_version: int,
    note: str,
    holds_from: datetime | None,
    person_id: int,
    now: datetime,
) -> CheckoutVersion:
    """Keep another version of all offers and tables, to hold from a moment on (None: from now).

    Raises Conflict where somebody else saved since ``base_version`` was read, Invalid with everything that is wrong.
    """
    read = try_checkout(session, body, now)
    if read.errors:
        raise Invalid("bad_checkout", "; ".join(read.errors[:20]))
    one_at_a_time(session, "checkout_version")
    newest = newest_checkout(session)
    if (newest.id if newest else 0) != base_version:
        raise Conflict(
            "checkout_changed",
            "Somebody saved the checkout since you began. Yours is kept here; fetch theirs and compare.",
        )
    kept = {"offers": body.get("offers") or [], "tables": body.get("tables") or [], "keep_s": read.keep_s}
    start = max(holds_from or now, now)
    row = CheckoutVersion(body=kept, note=tidy(note)[:200], person_id=person_id, holds_from=start, created_at=now)
    session.add(row)
    session.flush()
    return row


def checkout_versions(session: Session) -> Sequence[CheckoutVersion]:
    """Return all versions, newest first."""
    return session.scalars(select(CheckoutVersion).order_by(CheckoutVersion.id.desc()).limit(100)).all()


def restore_checkout(session: Session, version: int, person_id: int, now: datetime) -> CheckoutVersion:
    """Bring an older version back as the newest one; none is lost.  Raises NotFound."""
    old = session.get(CheckoutVersion, version)
    if old is None:
        raise NotFound("unknown_version", f"There is no version {version} of the checkout.")
    newest = newest_checkout(session)
    base = newest.id if newest else 0
    return save_checkout(session, old.body, base, f"Version {version} restored", None, person_id, now)


def tables_file(session: Session, kind: str) -> bytes:
    """Return all tables of the newest version as ``csv`` or ``xlsx``.  Raises NotFound where there is none."""
    row, currency = newest_checkout(session), shop_settings(session).currency
    tables = {_sheet_name(one["name"]): sheet_of(one, currency) for one in (row.body["tables"] if row else ())}
    if not tables:
        raise NotFound("no_tables", "There is no rate table to be saved as a file.")
    return tables_to_xlsx(tables) if kind == "xlsx" else tables_to_csv(tables)


def _sheet_name(name: str) -> str:
    """Return a name that a spreadsheet takes for a sheet: at most 31 letters, and none of its own signs."""
    return "".join(" " if sign in "[]:*?/\\" else sign for sign in name).strip("' ")[:31] or "Table"


def read_tables_file(session: Session, file_name: str, data: bytes) -> tuple[list[Written], list[str]]:
    """Return the tables of a CSV or XLSX file as they are written, and what is wrong with them; nothing is saved.

    Raises Invalid for a file that cannot be read, or without a table.
    """
    try:
        sheets = read_tables(data, file_name)
    except SpreadsheetError as error:
        raise Invalid("unreadable_file", str(error)) from error
    made, wrong = [], []
    for name, sheet in sheets.items():
        if not any(any(row) for row in sheet):
            continue
        plain = [[unharmed(cell) for cell in row] for row in sheet]
        if not has_bands(plain):
            wrong.append(
                f"{name or file_name}: it has no column like “to 4 kg”, so it is no rate table, and was left out"
            )
            continue
        table, faults = table_of(name or file_name.rpartition(".")[0], plain, shop_settings(session).currency)
        made.append(table)
        wrong += [f"{table['name']}: {fault}" for fault in faults]
    if not made:
        raise Invalid("no_table", "No rate table was found in this file: a band is a column like “to 4 kg”.")
    return made, wrong[:50]
