"""Spreadsheet import: read, map the columns, see what is wrong in words, take the good rows, keep the bad ones."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, replace
from datetime import UTC, datetime, time
from typing import Any

from sqlalchemy import Select, delete, or_, select
from sqlalchemy.orm import Session, sessionmaker
from sqlalchemy.orm import defer as left_out

from tidewind.core.channel_changes import FieldChange, changes_between
from tidewind.core.order_limits import storable
from tidewind.core.order_rows.by_cells import settle_by_cells
from tidewind.core.order_rows.columns import guess_columns, header_row, plain_header, still_needed
from tidewind.core.order_rows.figures import Units, decimal_sign
from tidewind.core.order_rows.headings import FIELDS
from tidewind.core.order_rows.reading import RowOrder, read_in_lots, read_orders
from tidewind.core.order_rows.row import RowFault
from tidewind.core.order_rows.standing import SaidWord, said_words
from tidewind.core.order_rows.unread import UnreadColumn, unread_columns
from tidewind.core.states.imports import IMPORT_MOVES, ImportMove, ImportState
from tidewind.core.states.orders import OrderMove
from tidewind.db.tables import Channel, Import, Order, Shipment
from tidewind.outside.channels.upstream import UpstreamLine, UpstreamOrder
from tidewind.outside.spreadsheets import Chosen, SpreadsheetError, read_sheet
from tidewind.outside.workbooks import MOST_COLUMNS
from tidewind.services.base import Conflict, Invalid, NotFound, defer, lock_orders, move_order, move_row
from tidewind.services.orders.differences import Fate, compare_with_channel
from tidewind.services.orders.sharing_numbers import by_channel, channel_of, other_buyers, otherwise
from tidewind.services.orders.taking_in import NewLine, NewOrder, forget_learned, store_orders
from tidewind.services.planning import plan_orders, shop_settings

AT_ONCE, CHUNK = 300, 500
"""``CHUNK``: so many are stored and planned in one transaction, in half a second; the shop is made ready for each."""
_LIGHT = [left_out(Import.rows), left_out(Import.faults), left_out(Import.corrected)]


def upload_file(
    session: Session, name: str, data: bytes, person_id: int, channel_id: int | None = None, feed_id: int | None = None
) -> Import:
    """Read a spreadsheet and keep its rows with a first mapping of its columns.  Raises Invalid with words.

    A layout mapped before (the same headers) is mapped the same way again.  Its orders are of the channel named, or of
    the one that spreadsheets have.
    """
    row = Import(
        file_name=storable(name)[:200],
        digest=hashlib.sha256(data).hexdigest(),
        data=data,
        corrected={},
        faults=[],
        person_id=person_id,
        channel_id=channel_id,
        feed_id=feed_id,
    )
    _read(session, row, Chosen(), None)
    session.add(row)
    session.flush()
    return row


def read_otherwise(session: Session, import_id: int, chosen: Chosen, header: int | None) -> Import:
    """Read the file again in another way: sheet, encoding, delimiter, header row (from 1); rows corrected so far go.

    Raises Invalid where it cannot be read so, Conflict once orders were made of it.
    """
    row = get_import(session, import_id)
    if row.state not in {ImportState.MAPPING, ImportState.UNDONE}:
        raise Conflict("imported", "Orders were made of this file. Take the import back first, then read it otherwise.")
    if not row.data:
        raise Conflict("not_kept", "The file itself was not kept then. Upload it again.")
    _read(session, row, chosen, header)
    row.corrected = {}
    return row


def _read(session: Session, row: Import, chosen: Chosen, header: int | None) -> None:
    try:
        sheet = read_sheet(row.data, row.file_name[:120], chosen)
    except SpreadsheetError as error:
        raise Invalid("unreadable_file", str(error)) from error
    top = header_row(sheet.rows) if header is None else min(header - 1, len(sheet.rows) - 1)
    headers = [storable(cell).strip()[:120] for cell in sheet.rows[top]]
    row.layout = hashlib.sha256("\x1f".join(h.lower() for h in headers).encode()).hexdigest()
    before = session.scalar(
        select(Import).where(Import.layout == row.layout, Import.state == "done").order_by(Import.id.desc()).limit(1)
    )
    row.read_as = f"{sheet.read_as}, header in row {top + 1}"[:120]
    row.headers = headers
    row.rows = [[top + 2 + n, [storable(c) for c in cells]] for n, cells in enumerate(sheet.rows[top + 1 :])]
    row.columns = dict(before.columns) if before else _guess(headers, sheet.rows[top + 1 :])
    row.options = _options_of(before) if before else {}
    row.reading = {
        "sheets": list(sheet.sheets),
        **asdict(sheet.chosen),
        "header": top + 1,
        "doubts": list(sheet.doubts),
        "samples": [{"encoding": e, "line": line} for e, line in sheet.samples],
        "left_out": sheet.left_out,
    }


def _guess(headers: Sequence[str], rows: Sequence[Sequence[str]]) -> dict[str, int]:
    return settle_by_cells(guess_columns(headers), headers, rows)


def _options_of(before: Import) -> dict[str, Any]:
    """Return what was said of this layout; what nobody mapped then was seen and left out by whoever imported it."""
    seen = {plain_header(one.heading) for one in unread_of(before)}
    return {**before.options, "left_out": sorted(seen.union(before.options.get("left_out", [])))}


def get_import(session: Session, import_id: int) -> Import:
    """Return an import.  Raises NotFound."""
    row = session.get(Import, import_id)
    if row is None:
        raise NotFound("unknown_import", "This import does not exist.")
    return row


def rows_of(row: Import) -> list[tuple[int, list[str]]]:
    """Return the rows of a file by their number, with what was corrected in place."""
    return [(number, row.corrected.get(str(number), cells)) for number, cells in row.rows]


def preview_import(session: Session, row: Import, most: int | None = None) -> tuple[list[RowOrder], list[RowFault]]:
    """Return the orders that the mapping makes of the file (or its first rows), and the faults of rows kept back."""
    return read_orders(rows_of(row)[:most], row.columns, _units(session, row), row.headers)


def set_columns(
    session: Session,
    import_id: int,
    columns: dict[str, int],
    **said: Any,
) -> Import:
    """Store another mapping, and what people say of the file's figures and words; the same layout has it again.

    Beside the columns that is ``weight_unit`` (of weights that name none), ``decimal`` (the sign in prices), ``days``
    (``dmy`` or ``mdy``), ``states`` (in small letters: whether an order that says so may go,
    or a line of it is packed) and ``left_out``
    (headings that do not matter).  Raises Invalid for unknown fields, columns that are not there, or one used twice.
    """
    row = get_import(session, import_id)
    wrong = [name for name, index in columns.items() if name not in FIELDS or not 0 <= index < len(row.headers)]
    if wrong or len(set(columns.values())) != len(columns):
        raise Invalid("bad_mapping", "Each field takes one column of this file, and no column serves two fields.")
    row.columns = columns
    # What was said of a state that this file does not have stays: the next one of this layout may have it again.
    states = {**row.options.get("states", {}), **(said.get("states") or {})}
    left_out = set(row.options.get("left_out", [])) | {plain_header(head) for head in said.get("left_out") or []}
    known = {name: value for name, value in said.items() if value is not None}
    row.options = {**row.options, **known, "states": states, "left_out": sorted(left_out)}
    return row


def unread_of(row: Import) -> list[UnreadColumn]:
    """Return the columns that no field takes, those first that are asked about before the file can be imported."""
    return unread_columns(row.headers, row.columns, row.rows, row.options.get("left_out", []))


def asked_columns(row: Import) -> list[str]:
    """Return the headings that nobody has understood yet: without an answer no order is made of the file."""
    return [one.heading for one in unread_of(row) if one.asked]


def words_of(session: Session, row: Import) -> list[SaidWord]:
    """Return the words of a file that decide what becomes of its rows, and their meanings; none where it is asked."""
    return said_words(rows_of(row), row.columns, _units(session, row), row.headers)


def correct_rows(session: Session, import_id: int, rows: Mapping[int, list[str]]) -> Import:
    """Correct rows in place; what the file said stays beside it.  Raises Invalid for a row that is not in the file."""
    row = get_import(session, import_id)
    numbers = {number for number, _ in row.rows}
    if not set(rows) <= numbers:
        raise Invalid("unknown_row", "One of these rows is not in the file.")
    before = dict(rows_of(row))
    tidied = {
        str(n): [storable(cell)[:5_000] for cell in cells[:MOST_COLUMNS]] + before[n][len(cells) :]
        for n, cells in rows.items()
    }
    row.corrected = {**row.corrected, **tidied}
    return row


def missing_fields(row: Import) -> list[str]:
    """Return the needed fields that no column is mapped to."""
    return still_needed(row.columns)


def run_import(session: Session, import_id: int, now: datetime) -> Import:
    """Make orders of the good rows and keep the bad ones with their faults; running it again makes nothing twice.

    Many orders are made in the background, chunk by chunk.  Raises Invalid while a needed field has no column, or a
    column that may matter is not understood.
    """
    row = get_import(session, import_id)
    missing = missing_fields(row)
    if missing:
        raise Invalid("unmapped", f"Say which column holds: {', '.join(m.replace('_', ' ') for m in missing)}.")
    if asked := asked_columns(row):
        words = f"“{asked[0]}”" + (f" and {len(asked) - 1} more" if len(asked) > 1 else "")
        raise Invalid("not_understood", f"{words} may change what is sent: say what it is, or that it does not matter.")
    if row.state == ImportState.RUNNING:
        raise Conflict("running", "This file is being imported just now.")
    move_row(row, IMPORT_MOVES, ImportState, ImportMove.RUN)
    orders, faults = preview_import(session, row)
    row.faults = [asdict(fault) for fault in faults]
    row.total, row.progress, row.already, row.changed = len(orders), 0, 0, 0
    if len(orders) > AT_ONCE:
        defer(session, "import_orders", import_id=row.id)
    else:
        _store(session, row, orders, now)
        move_row(row, IMPORT_MOVES, ImportState, ImportMove.FINISH)
    return row


def _store(session: Session, row: Import, orders: list[RowOrder], now: datetime) -> None:
    for channel, mine in by_channel(session, row, orders):
        made, there = store_orders(session, channel, [_new(order, now) for order in mine], now, row.id)
        row.made += len(made)
        row.already += len(there)
        row.changed += _compare(session, channel, {order.number: order for order in mine}, there, now)
    row.progress += len(orders)


def _compare(
    session: Session, channel: Channel, said: Mapping[str, RowOrder], there: Sequence[NewOrder], now: datetime
) -> int:
    """Compare orders that are here already with what a file says of them now; return how many it changes.

    What is different waits on the order for a person, as what a channel changes does.
    """
    prints = {new.number: new.fingerprint for new in there}
    changed = 0
    for order in lock_orders(session, otherwise(session, channel, prints)):
        fate = Fate("open", "", order.payment)
        changed += bool(compare_with_channel(session, order, _as_said(said[order.number], order), fate, now))
    return changed


def differing(
    session: Session, row: Import, orders: Sequence[RowOrder], most: int
) -> list[tuple[str, list[FieldChange]]]:
    """Return up to ``most`` orders of a file that are here already with other contents, and what is different."""
    by_number = {order.number: order for order in orders}
    channel = channel_of(session, row)
    strange = other_buyers(session, channel, orders)
    mine = {order.number: order.fingerprint() for order in orders if order.number not in strange}
    ids = otherwise(session, channel, mine)
    made: list[tuple[str, list[FieldChange]]] = []
    for start in range(0, len(ids), most):
        some = select(Order).where(Order.id.in_(ids[start : start + most])).order_by(Order.id)
        for order in session.scalars(some):
            said = _as_said(by_number[order.number], order).snapshot()
            if changes := changes_between(order.imported.get("said", {}), said):
                made.append((order.number, changes))
        if len(made) >= most:
            break
    return made[:most]


def _as_said(new: RowOrder, order: Order | None = None, now: datetime | None = None) -> UpstreamOrder:
    """Return what a file says of an order in the form in which channels say it."""
    at = order.ordered_at if order is not None else now
    if at is None:
        raise ValueError("an order was made at some time")
    lines = tuple(UpstreamLine(ln.sku, ln.name, ln.quantity, ln.unit_price) for ln in new.lines)
    return UpstreamOrder(
        new.number,
        "",
        "",
        new.address,
        lines,
        at,
        promise=new.promise,
        paid_shipping_minor=new.paid_shipping,
        note=new.note,
        recipient_number=new.recipient_number,
        promise_date=new.deliver_by,
        currency=new.currency,
    )


def go_on_importing(sessions: sessionmaker[Session], import_id: int, clock: Callable[[], datetime]) -> None:
    """Go on with an import in the background; a killed worker loses one lot, and nothing is made twice."""
    with sessions() as session:
        row = get_import(session, import_id)
        lots = read_in_lots(rows_of(row), row.columns, _units(session, row), CHUNK, row.headers)
        ended = row.progress
    read = 0
    for orders in lots:
        read += len(orders)
        if orders and read > ended and not _take(sessions, import_id, orders[-(read - ended) :], clock):
            return
    with sessions.begin() as session:
        done = session.get(Import, import_id, with_for_update=True, options=_LIGHT)
        if done is not None and done.state == ImportState.RUNNING:
            move_row(done, IMPORT_MOVES, ImportState, ImportMove.FINISH)
            done.progress = read


def _take(
    sessions: sessionmaker[Session], import_id: int, orders: list[RowOrder], clock: Callable[[], datetime]
) -> bool:
    """Store a lot of orders in a transaction of its own; return False where the import was ended by somebody."""
    with sessions.begin() as session:
        row = session.get(Import, import_id, with_for_update=True, options=_LIGHT)
        if row is None or row.state != "running":
            return False
        _store(session, row, orders, clock())
        return True


def _units(session: Session, row: Import) -> Units:
    options = row.options
    sign = options.get("decimal") or decimal_sign(_prices(row))
    currency, weight = shop_settings(session).currency, weight_unit_of_file(session, row)
    return Units(currency, weight, sign, options.get("days", ""), options.get("states", {}))


def weight_unit_of_file(session: Session, row: Import) -> str:
    """Return the unit of a file's weights that name none; nothing where nobody has said it and the shop does not.

    Where people weigh in ounces and pounds a figure alone is neither: it is asked, and remembered.
    """
    return row.options.get("weight_unit") or ("" if shop_settings(session).units == "imperial" else "g")


def _prices(row: Import) -> list[str]:
    columns = [row.columns[name] for name in ("unit_price", "paid_shipping") if name in row.columns]
    return [cells[at] for _, cells in row.rows[:2_000] for at in columns if at < len(cells)]


def undo_import(session: Session, import_id: int, now: datetime) -> int:
    """Take a whole import back while nothing of it is bought; return how many orders went.

    Raises Conflict, naming one, where a label was bought or asked for.
    """
    row = get_import(session, import_id)
    if row.state != ImportState.DONE:
        raise Conflict("not_done", "Only an import that is done can be taken back.")
    mine = select(Order.id).where(Order.import_id == import_id)
    # What went, went for all that belong together: parts of these orders, and the one that they go along with.
    theirs = or_(Order.id.in_(mine), Order.part_of.in_(mine), Order.id.in_(_hosts(import_id)))
    bought = session.scalar(
        select(Order.number).join(Shipment, Shipment.order_id == Order.id).where(theirs).order_by(Order.id).limit(1)
    )
    if bought:
        raise Conflict("bought", f"A label was bought or asked for order {bought}. Nothing was taken back.")
    alone = session.scalars(select(Order).where(Order.joined_to.in_(mine), Order.import_id.is_distinct_from(import_id)))
    for guest in (freed := alone.all()):
        move_order(guest, OrderMove.PART)
        guest.joined_to = None
    left = session.scalars(select(Order).where(Order.id.in_(_hosts(import_id)), Order.id.not_in(mine))).all()
    for host in left:
        host.hand = replace(host.hand, parcels=())
    session.flush()
    forget_learned(session, import_id)
    session.execute(delete(Order).where(Order.part_of.in_(mine)))
    count = len(session.scalars(delete(Order).where(Order.import_id == import_id).returning(Order.id)).all())
    move_row(row, IMPORT_MOVES, ImportState, ImportMove.UNDO)
    row.made = 0
    plan_orders(session, [*freed, *left], now)
    return count


def _hosts(import_id: int) -> Select[int | None]:
    return select(Order.joined_to).where(Order.import_id == import_id, Order.joined_to.is_not(None))


def newest_imports(session: Session, limit: int = 30) -> Sequence[Import]:
    """Return the newest imports without their rows."""
    return session.scalars(select(Import).options(*_LIGHT).order_by(Import.id.desc()).limit(limit)).all()


def _new(order: RowOrder, now: datetime) -> NewOrder:
    # A day alone is its noon, UTC: the same day in every shop but those beyond the date line.
    ordered = datetime.combine(order.ordered_on, time(12), UTC) if order.ordered_on else now
    return NewOrder(
        number=order.number,
        address=order.address,
        lines=tuple(NewLine(ln.sku, ln.name, ln.quantity, ln.unit_price, ln.weight_g) for ln in order.lines),
        ordered_at=min(ordered, now),
        promise=order.promise,
        promise_date=order.deliver_by,
        paid_shipping_minor=order.paid_shipping,
        note=order.note,
        fingerprint=order.fingerprint(),
        recipient_number=order.recipient_number,
        currency=order.currency,
        imported={"address": asdict(order.address), "rows": order.rows, "said": _as_said(order, now=now).snapshot()},
    )
