"""Printers, what stands chosen for each kind of document, and the queue of what is on its way to paper."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.db.tables import Printer, PrintJob, PrintPreference
from tidewind.db.tables.papers import KINDS
from tidewind.documents.lists import SHEETS
from tidewind.documents.paper import STOCKS
from tidewind.outside.errors import OutsideError
from tidewind.services.base import Conflict, Invalid, NotFound, Outside, defer, is_due
from tidewind.services.papers.files import (
    Arrangement,
    mark_printed,
    print_invoices,
    print_labels,
    print_pick_list,
    print_slips,
    shipments_in,
)

PAPERS = {
    "label": tuple(STOCKS), "return_label": tuple(STOCKS), "packing_slip": ("a5",), "pick_list": tuple(SHEETS),
    "batch_summary": tuple(SHEETS), "invoice": tuple(SHEETS),
}  # fmt: skip
TITLES = {"label": "Labels", "packing_slip": "Packing slips", "pick_list": "Pick list", "invoice": "Invoices"}
LONGEST_PAUSE = timedelta(minutes=10)
KEPT = 200


def print_preferences(session: Session) -> list[PrintPreference]:
    """Return what stands chosen for every kind of document; the browser and the first paper where nobody chose."""
    kept = {p.kind: p for p in session.scalars(select(PrintPreference))}
    return [kept.get(k) or PrintPreference(kind=k, paper=PAPERS[k][0], printer="", copies=1) for k in KINDS]


def set_print_preference(session: Session, kind: str, paper: str, printer: str, copies: int) -> PrintPreference:
    """Keep what stands chosen for a kind of document.  Raises Invalid for what does not exist."""
    if kind not in PAPERS or paper not in PAPERS[kind]:
        raise Invalid("unknown_paper", f"For this the papers are: {', '.join(PAPERS.get(kind, ()))}.")
    if printer:
        _printer(session, printer)
    if not 1 <= copies <= 9:
        raise Invalid("copies", "Between 1 and 9 copies are printed.")
    row = session.get(PrintPreference, kind)
    if row is None:
        row = PrintPreference(kind=kind, paper=paper, printer=printer, copies=copies)
        session.add(row)
    row.paper, row.printer, row.copies = paper, printer, copies
    return row


def all_printers(session: Session) -> Sequence[Printer]:
    """Return the printers in use."""
    return session.scalars(select(Printer).where(Printer.active).order_by(Printer.name)).all()


def _printer(session: Session, code: str) -> Printer:
    row = session.scalar(select(Printer).where(Printer.code == code, Printer.active))
    if row is None:
        raise Invalid("unknown_printer", f"There is no printer {code[:30]}.")
    return row


@dataclass(frozen=True, slots=True)
class PrintRequest:
    """What is to be printed; empty printer, paper and copies stand for what is preferred."""

    kind: str
    shipment_ids: Sequence[int]
    client_key: str
    sequence: Arrangement = "selected"
    printer: str = ""
    paper: str = ""
    copies: int = 0


def send_to_printer(session: Session, wish: PrintRequest, person_id: int, now: datetime) -> PrintJob:
    """Put a document into a printer's queue; the same ``client_key`` again prints nothing more.

    Labels count as printed once the printer has taken them.
    Raises Invalid where no printer is named or preferred, Conflict where a label is not bought.
    """
    known = session.scalar(select(PrintJob).where(PrintJob.client_key == wish.client_key))
    if known is not None:
        return known
    preferred = next((p for p in print_preferences(session) if p.kind == wish.kind), None)
    if preferred is None:
        raise Invalid("unknown_kind", "Labels, slips, pick lists and invoices can be sent to a printer.")
    code = wish.printer or preferred.printer
    if not code:
        raise Invalid("no_printer", "Say which printer, or choose one for this kind of document in Set-up, Printing.")
    printer = _printer(session, code)
    body = _body(session, wish, wish.paper or preferred.paper)
    title = f"{TITLES[wish.kind]} of {len(wish.shipment_ids)} orders"
    if len(wish.shipment_ids) == 1:
        number = shipments_in(session, wish.shipment_ids)[0].order.number
        title = f"{TITLES[wish.kind]} of order {number}"
    job = PrintJob(
        client_key=wish.client_key,
        printer=printer.code,
        kind=wish.kind,
        title=title,
        body=body,
        copies=wish.copies or preferred.copies,
        person_id=person_id,
        next_at=now,
        shipment_ids=list(wish.shipment_ids),
    )
    session.add(job)
    session.flush()
    defer(session, "send_prints")
    return job


def _body(session: Session, wish: PrintRequest, paper: str) -> bytes:
    ids = wish.shipment_ids
    match wish.kind:
        case "label":
            return print_labels(session, ids, paper, wish.sequence)
        case "packing_slip":
            return print_slips(session, ids, wish.sequence)
        case "pick_list":
            return print_pick_list(session, ids, paper)
        case "invoice":
            return print_invoices(session, ids, paper)
        case _:
            raise Invalid("unknown_kind", "This is printed from its own page.")


def send_due_prints(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> int:
    """Send what is due to the printers, each in its own transaction; return how many were taken."""
    with sessions() as session:
        due = session.scalars(
            select(PrintJob.id)
            .where(PrintJob.state == "waiting", is_due(PrintJob.next_at, clock(), LONGEST_PAUSE))
            .order_by(PrintJob.id)
        ).all()
    return sum(_send(sessions, outside, job_id, clock()) for job_id in due)


def _send(sessions: sessionmaker[Session], outside: Outside, job_id: int, now: datetime) -> bool:
    with sessions.begin() as session:
        job = session.scalar(select(PrintJob).where(PrintJob.id == job_id).with_for_update(skip_locked=True))
        if job is None or job.state != "waiting":
            return False
        printer = session.scalars(select(Printer).where(Printer.code == job.printer)).one()
        try:
            outside.printer(printer).take(job.client_key, job.title, job.copies, job.body)
        except OutsideError as error:
            job.attempts += 1
            job.next_at = now + min(timedelta(seconds=5 * 2 ** min(job.attempts, 8)), LONGEST_PAUSE)
            job.last_error = f"{printer.name}: {error}"[:300]
            return False
        job.state, job.printed_at, job.last_error = "printed", now, ""
        if job.kind == "label":
            mark_printed(session, job.shipment_ids, True, now)
        return True


def print_queue(session: Session) -> Sequence[PrintJob]:
    """Return what waits, oldest first, and then what was printed last."""
    query = select(PrintJob).order_by(PrintJob.state != "waiting", PrintJob.id.desc()).limit(KEPT)
    return session.scalars(query).all()


def change_print(session: Session, job_id: int, what: str, now: datetime) -> PrintJob:
    """Cancel a waiting print, or print one again.  Raises NotFound, or Conflict where it is too late to cancel."""
    job = session.scalar(select(PrintJob).where(PrintJob.id == job_id).with_for_update())
    if job is None:
        raise NotFound("unknown_print", "There is no such print.")
    if what == "cancel":
        if job.state != "waiting":
            raise Conflict("not_waiting", "This is printed already, or cancelled.")
        job.state = "cancelled"
        return job
    if job.state != "waiting":
        job = PrintJob(
            client_key=f"{job.client_key[:60]}-again-{job.id}-{now:%H%M%S%f}",
            printer=job.printer,
            kind=job.kind,
            title=f"{job.title}, again"[:120],
            copies=job.copies,
            body=job.body,
            person_id=job.person_id,
            next_at=now,
            shipment_ids=job.shipment_ids,
        )
        session.add(job)
    job.next_at = now
    session.flush()
    defer(session, "send_prints")
    return job
