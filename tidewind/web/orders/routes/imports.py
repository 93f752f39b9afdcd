"""Orders in from spreadsheets."""

from __future__ import annotations

from importlib import resources

from fastapi import APIRouter, Response, UploadFile
from sqlalchemy.orm import Session

from tidewind.core.order_rows.columns import NEEDED
from tidewind.core.order_rows.headings import FIELDS
from tidewind.core.order_rows.reading import RowOrder
from tidewind.core.order_rows.row import RowFault
from tidewind.db.tables import Import
from tidewind.outside.encodings import CHOICES
from tidewind.outside.spreadsheets import Chosen
from tidewind.services import orders as service
from tidewind.services.base import Invalid, NotFound
from tidewind.services.orders import (
    correct_rows,
    differing,
    missing_fields,
    newest_imports,
    preview_import,
    rows_of,
    run_import,
    strange_numbers,
    undo_import,
    unread_of,
    upload_file,
    weight_unit_of_file,
    words_of,
)
from tidewind.web.access import Anyone, Now, Parts, Shipper, Tx
from tidewind.web.files import CSV, answers_with
from tidewind.web.orders.presenting import preview_order
from tidewind.web.orders.schemas.imports import (
    ColumnsIn,
    DifferingOut,
    FaultOut,
    ImportOut,
    ImportSummary,
    ReadingIn,
    ReadingOut,
    RowsIn,
    StateOut,
    Undone,
    UnreadOut,
)
from tidewind.web.orders.schemas.order import FieldChange

router = APIRouter(prefix="/api", tags=["orders in"])
SAMPLES = {"clean": "orders-clean.csv", "messy": "orders-messy.csv", "template": "orders-template.csv"}
MOST_SHOWN, LOOKED_AT = 200, 5_000
# Files of a version that kept no bytes cannot be read otherwise.
_UNKNOWN_READING = {
    "sheets": [], "sheet": "", "encoding": "", "delimiter": "", "header": 1, "doubts": [], "samples": [],
    "encodings": list(CHOICES), "left_out": "",
}  # fmt: skip


def _present(session: Session, row: Import) -> ImportOut:
    # While it runs nothing can be changed, and people look every second: not all of the file is read again each time.
    running = row.state == "running"
    orders, faults = preview_import(session, row, MOST_SHOWN if running else LOOKED_AT)
    if running:
        faults = [RowFault(**fault) for fault in row.faults]
    shown = faults[:MOST_SHOWN]
    by_number: dict[int, list[str]] = dict(rows_of(row)) if shown else {}
    return ImportOut(
        id=row.id,
        file_name=row.file_name,
        read_as=row.read_as,
        state=row.state,
        headers=row.headers,
        columns=row.columns,
        fields=list(FIELDS),
        needed=list(NEEDED),
        missing=missing_fields(row),
        sample=[cells for _, cells in row.rows[:5]],
        row_count=len(row.rows),
        looked_at=min(len(row.rows), LOOKED_AT),
        good=row.total if running else len(orders),
        preview=[preview_order(order) for order in orders[:MOST_SHOWN]],
        faults=[FaultOut.model_validate(fault) for fault in shown],
        fault_rows={fault.row: by_number[fault.row][:40] for fault in shown if fault.row in by_number},
        made=row.made,
        already=row.already,
        total=row.total,
        progress=row.progress,
        weight_unit=weight_unit_of_file(session, row),
        decimal=row.options.get("decimal", ""),
        days=row.options.get("days", ""),
        unread=[UnreadOut.model_validate(one) for one in unread_of(row)],
        states=[StateOut.model_validate(word) for word in words_of(session, row)],
        changed=row.changed,
        reading=ReadingOut.model_validate({**_UNKNOWN_READING, **row.reading}),
        differing=[] if running else _differing(session, row, orders),
        strange=[] if running else strange_numbers(session, row, orders)[:MOST_SHOWN],
    )


def _differing(session: Session, row: Import, orders: list[RowOrder]) -> list[DifferingOut]:
    found = differing(session, row, orders, MOST_SHOWN)
    return [DifferingOut(number=n, changes=[FieldChange.model_validate(c) for c in changes]) for n, changes in found]


@router.post("/imports", status_code=201)
def upload(file: UploadFile, who: Shipper, parts: Parts, session: Tx) -> ImportOut:
    """Upload a CSV or XLSX file; it is read and its columns are guessed, nothing is imported yet."""
    limit = parts.settings.upload_limit_bytes
    data = file.file.read(limit + 1)
    if len(data) > limit:
        raise Invalid("too_large", f"The file is larger than {limit // 1_000_000} MB. Split it.")
    return _present(session, upload_file(session, file.filename or "file", data, who.id))


@router.get("/imports/{import_id}")
def get_import(import_id: int, _who: Shipper, session: Tx) -> ImportOut:
    """Return an import with its preview and the rows kept back."""
    return _present(session, service.get_import(session, import_id))


@router.put("/imports/{import_id}/columns")
def set_columns(import_id: int, body: ColumnsIn, _who: Shipper, session: Tx) -> ImportOut:
    """Say which column holds which field, and what the file's figures and states mean."""
    said = body.model_dump(exclude={"columns"}, exclude_none=True)
    return _present(session, service.set_columns(session, import_id, body.columns, **said))


@router.put("/imports/{import_id}/reading")
def read_otherwise(import_id: int, body: ReadingIn, _who: Shipper, session: Tx) -> ImportOut:
    """Read the file in another way: sheet, encoding, delimiter, header row; rows corrected before are not kept."""
    chosen = Chosen(body.sheet, body.encoding, body.delimiter)
    return _present(session, service.read_otherwise(session, import_id, chosen, body.header))


@router.patch("/imports/{import_id}/rows")
def correct(import_id: int, body: RowsIn, _who: Shipper, session: Tx) -> ImportOut:
    """Correct rows in place; run the import again to take them."""
    return _present(session, correct_rows(session, import_id, body.rows))


@router.post("/imports/{import_id}/undo")
def undo(import_id: int, _who: Shipper, session: Tx, now: Now) -> Undone:
    """Take a whole import back while nothing of it is bought."""
    count = undo_import(session, import_id, now)
    return Undone(orders=count)


@router.post("/imports/samples", status_code=201)
def bring_samples(who: Shipper, session: Tx, now: Now) -> ImportSummary:
    """Bring six sample orders in; taking the import back takes them away again."""
    return ImportSummary.model_validate(service.bring_samples(session, who.id, now))


@router.get("/imports")
def imports(_who: Shipper, session: Tx) -> list[ImportSummary]:
    """Return the newest imports."""
    return [ImportSummary.model_validate(row) for row in newest_imports(session)]


@router.post("/imports/{import_id}/run")
def run(import_id: int, _who: Shipper, session: Tx, now: Now) -> ImportOut:
    """Import the good rows and keep the bad ones; doing it again makes nothing twice."""
    row = run_import(session, import_id, now)
    return _present(session, row)


@router.get("/import-samples/{name}", **answers_with(CSV))
def sample(name: str, _who: Anyone) -> Response:
    """Return a sample file: clean, messy or the template."""
    if name not in SAMPLES:
        raise NotFound("unknown_sample", "There is no such sample file.")
    data = resources.files("tidewind.data").joinpath(SAMPLES[name]).read_bytes()
    headers = {"Content-Disposition": f'attachment; filename="{SAMPLES[name]}"'}
    return Response(data, media_type="text/csv", headers=headers)
