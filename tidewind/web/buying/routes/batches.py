"""Batches: start, fill, change, watch, cancel, put away."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from sqlalchemy.orm import Session

from tidewind.core.states.labels import LabelState
from tidewind.core.stored import write_hand
from tidewind.db.tables import Batch
from tidewind.services import buying as service
from tidewind.services.buying import (
    Filled,
    archive_batch,
    batch_shipments,
    batch_summaries,
    cancel_waiting,
    exceptions_of,
    fill_batch,
    get_batch,
    orders_in_batch,
    scan_into_batch,
)
from tidewind.services.people import Who
from tidewind.services.planning import changes_upstream
from tidewind.web.access import Anyone, Now, Shipper, Tx
from tidewind.web.base.schemas import CountOut
from tidewind.web.buying.schemas import (
    ArchiveIn,
    BatchChangeIn,
    BatchIn,
    BatchOut,
    BatchSummaryOut,
    DroppedOut,
    ExceptionOut,
    FilledOut,
    FillIn,
    ScanIn,
    TakeOutIn,
)
from tidewind.web.orders.presenting import order_rows, shipment_out

router = APIRouter(prefix="/api", tags=["batches"])
Text = Annotated[str, Query(max_length=120)]


@router.get("/batches")
def all_batches(_who: Anyone, session: Tx, archived: bool = False, text: Text = "") -> list[BatchSummaryOut]:
    """Return batches, those being filled first; ``text`` finds any by name, person, order or tracking number."""
    return [BatchSummaryOut.model_validate(b) for b in batch_summaries(session, archived=archived, text=text)]


@router.post("/batches", status_code=201)
def start_batch(body: BatchIn, who: Shipper, session: Tx, now: Now) -> FilledOut:
    """Start a batch and put orders into it; the same ``client_key`` again is the same batch."""
    batch = service.start_batch(session, body.name, body.client_key, who.id)
    filled = Filled()
    if body.order_ids:
        filled = fill_batch(session, batch.id, body.order_ids, who.id, False, now)
    return _filled(batch.id, filled)


def _filled(batch_id: int, filled: Filled) -> FilledOut:
    left_out = [DroppedOut(order_id=i, words=words) for i, words in filled.left_out.items()]
    return FilledOut(batch_id=batch_id, added=filled.added, left_out=left_out)


@router.get("/batches/{batch_id}")
def batch(batch_id: int, who: Anyone, session: Tx, now: Now) -> BatchOut:
    """Return a batch: what lies in it, what was bought, and how far that has come."""
    return _batch(session, get_batch(session, batch_id), who, now)


def _batch(session: Session, row: Batch, who: Who, now: Now) -> BatchOut:
    waiting = orders_in_batch(session, row.id)
    shipments = batch_shipments(session, row.id)
    changed = changes_upstream(session, [s.order_id for s in shipments if s.state in LabelState.TRAVELS])
    states = [s.state for s in shipments]
    strange = [(o.id, exceptions_of(row, o)) for o in waiting]
    return BatchOut(
        id=row.id,
        name=row.name or f"Batch {row.id}",
        state=row.state,
        person=row.person.name,
        mine=row.person_id == who.id,
        changes=write_hand(row.changes),
        asked_at=row.asked_at,
        waiting=order_rows(session, waiting, now, who.id),
        exceptions=[ExceptionOut(order_id=i, fields=fields) for i, fields in strange if fields],
        buying=states.count("buying"),
        not_begun=sum(s.state == "buying" and s.begun_at is None for s in shipments),
        bought=states.count("bought"),
        failed=states.count("failed"),
        total_minor=sum(s.price_minor for s in shipments if s.state in LabelState.TRAVELS),
        shipments=[shipment_out(s, changed.get(s.order_id)) for s in shipments],
    )


@router.patch("/batches/{batch_id}")
def change_batch(batch_id: int, body: BatchChangeIn, who: Shipper, session: Tx, now: Now) -> BatchOut:
    """Rename a batch or set what holds for all in it; an order's own exceptions stay."""
    changes = body.model_dump(exclude_unset=True)
    name = changes.pop("name", None)
    row = service.change_batch(session, batch_id, name, changes, now)
    session.flush()
    return _batch(session, row, who, now)


@router.post("/batches/{batch_id}/orders")
def fill(batch_id: int, body: FillIn, who: Shipper, session: Tx, now: Now) -> FilledOut:
    """Put orders into a batch not bought yet; what others have is named and left out, unless it is taken over."""
    filled = fill_batch(session, batch_id, body.order_ids, who.id, body.take_over, now)
    return _filled(batch_id, filled)


@router.post("/batches/{batch_id}/scan")
def scan(batch_id: int, body: ScanIn, who: Shipper, session: Tx, now: Now) -> FilledOut:
    """Put the order with a scanned number into a batch."""
    _, filled = scan_into_batch(session, batch_id, body.code, who.id, now)
    return _filled(batch_id, filled)


@router.post("/batches/{batch_id}/take-out")
def take_out(batch_id: int, body: TakeOutIn, _who: Shipper, session: Tx, now: Now) -> CountOut:
    """Take orders out of a batch; they stay on the work list."""
    count = service.take_out(session, batch_id, body.order_ids, now)
    return CountOut(count=count)


@router.post("/batches/{batch_id}/cancel")
def cancel(batch_id: int, who: Shipper, session: Tx, now: Now) -> CountOut:
    """Cancel what no carrier has been asked for yet; its holds are given back."""
    count = cancel_waiting(session, batch_id, who.name, now)
    return CountOut(count=count)


@router.post("/batches/{batch_id}/archive")
def archive(batch_id: int, body: ArchiveIn, who: Shipper, session: Tx, now: Now) -> BatchOut:
    """Put a batch away, or take it out again; everything in it stays findable."""
    row = archive_batch(session, batch_id, body.away)
    session.flush()
    return _batch(session, row, who, now)
