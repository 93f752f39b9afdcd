"""Spreadsheet import: read, map the columns, see what is wrong in words, take the good rows, keep the bad ones."""

from __future__ import annotations

import hashlib
from dataclasses import asdict
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.order_rows import FIELDS, NEEDED, RowFault, RowOrder, guess_columns, header_row, read_orders
from tidewind.db.tables import Channel, Import
from tidewind.outside.spreadsheets import SpreadsheetError, read_sheet
from tidewind.services.errors import Invalid, NotFound
from tidewind.services.storing import NewLine, NewOrder, store_orders

SHEET_CHANNEL = "sheet"


def upload(session: Session, name: str, data: bytes, person_id: int) -> Import:
    """Read a spreadsheet and keep its rows with a first mapping of its columns.  Raises Invalid with words.

    A layout mapped before (the same headers) is mapped the same way again.
    """
    try:
        sheet = read_sheet(data, name[:120])
    except SpreadsheetError as error:
        raise Invalid("unreadable_file", str(error)) from error
    top = header_row(sheet.rows)
    headers = [cell.strip()[:120] for cell in sheet.rows[top]]
    layout = hashlib.sha256("\x1f".join(h.lower() for h in headers).encode()).hexdigest()
    before = session.scalar(
        select(Import).where(Import.layout == layout, Import.state == "done").order_by(Import.id.desc()).limit(1)
    )
    row = Import(
        file_name=name[:200],
        digest=hashlib.sha256(data).hexdigest(),
        layout=layout,
        read_as=f"{sheet.read_as}, header in row {top + 1}"[:120],
        headers=headers,
        rows=[[top + 2 + n, [c.replace("\x00", "") for c in cells]] for n, cells in enumerate(sheet.rows[top + 1 :])],
        columns=dict(before.columns) if before else guess_columns(headers),
        faults=[],
        person_id=person_id,
    )
    session.add(row)
    session.flush()
    return row


def get_import(session: Session, import_id: int) -> Import:
    """Return an import.  Raises NotFound."""
    row = session.get(Import, import_id)
    if row is None:
        raise NotFound("unknown_import", "This import does not exist.")
    return row


def preview(row: Import, columns: dict[str, int] | None = None) -> tuple[list[RowOrder], list[RowFault]]:
    """Return the orders that the mapping makes of the file, and what is wrong with the rows kept back."""
    return read_orders([(n, cells) for n, cells in row.rows], row.columns if columns is None else columns)


def set_columns(session: Session, import_id: int, columns: dict[str, int]) -> Import:
    """Store another mapping.  Raises Invalid for unknown fields, columns that are not there, or one used twice."""
    row = get_import(session, import_id)
    wrong = [name for name, index in columns.items() if name not in FIELDS or not 0 <= index < len(row.headers)]
    if wrong or len(set(columns.values())) != len(columns):
        raise Invalid("bad_mapping", "Each field takes one column of this file, and no column serves two fields.")
    row.columns = columns
    return row


def missing_fields(row: Import) -> list[str]:
    """Return the needed fields that no column is mapped to."""
    return [name for name in NEEDED if name not in row.columns]


def run(session: Session, import_id: int, now: datetime) -> Import:
    """Make orders of the good rows and keep the bad ones with their faults; running it again makes nothing twice.

    Raises Invalid while a needed field has no column.
    """
    row = get_import(session, import_id)
    missing = missing_fields(row)
    if missing:
        raise Invalid("unmapped", f"Say which column holds: {', '.join(m.replace('_', ' ') for m in missing)}.")
    orders, faults = preview(row)
    channel = _channel(session)
    made, there = store_orders(session, channel, [_new(order, now) for order in orders], now, row.id)
    row.made += len(made)
    row.already = len(there)
    row.faults = [asdict(fault) for fault in faults]
    row.state = "done"
    return row


def _channel(session: Session) -> Channel:
    found = session.scalar(select(Channel).where(Channel.code == SHEET_CHANNEL))
    if found is None:
        found = Channel(code=SHEET_CHANNEL, name="Spreadsheet", kind="sheet", last_pull={})
        session.add(found)
        session.flush()
    return found


def _new(order: RowOrder, now: datetime) -> NewOrder:
    return NewOrder(
        number=order.number,
        address=order.address,
        lines=tuple(NewLine(ln.sku, ln.name, ln.quantity, ln.unit_price, ln.weight_g) for ln in order.lines),
        ordered_at=now,
        promise=order.promise,
        paid_shipping_minor=order.paid_shipping,
        note=order.note,
        fingerprint=order.fingerprint(),
        imported={"address": asdict(order.address), "rows": order.rows},
    )
