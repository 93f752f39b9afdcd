"""The queue of what is on its way to paper: taken once by its printer, followed until it is printed, never lost."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.states.prints import PRINT_MOVES, PrintMove, PrintState
from tidewind.db.tables import Printer, PrintJob
from tidewind.documents.paper import size_mm10
from tidewind.outside.errors import OutsideError
from tidewind.outside.printer import Fate, PaperJob, Printed
from tidewind.services.base import Invalid, NotFound, Outside, defer, is_due, move_row
from tidewind.services.papers.files import (
    Arrangement,
    mark_printed,
    print_customs,
    print_invoices,
    print_labels,
    print_pick_list,
    print_slips,
    shipments_in,
)
from tidewind.services.papers.printers import print_preferences, printer_named

TITLES = {
    "label": "Labels",
    "packing_slip": "Packing slips",
    "pick_list": "Pick list",
    "invoice": "Invoices",
    "customs": "Customs papers",
}
LONGEST_PAUSE = timedelta(minutes=10)
LOOK_AGAIN = timedelta(seconds=3)
KEPT = 200


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
    printer, paper = printer_named(session, code), wish.paper or preferred.paper
    body = _body(session, wish, paper, now)
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
        paper=paper,
        copies=wish.copies or preferred.copies,
        person_id=person_id,
        next_at=now,
        shipment_ids=list(wish.shipment_ids),
    )
    session.add(job)
    session.flush()
    if wish.kind == "label":
        _customs_along(session, wish, person_id, now)
    defer(session, "send_prints")
    return job


def _customs_along(session: Session, wish: PrintRequest, person_id: int, now: datetime) -> None:
    """Send the customs papers of the same shipments to their own printer, where one is chosen: one press for both."""
    chosen = next((p for p in print_preferences(session) if p.kind == "customs"), None)
    if chosen is None or not chosen.printer:
        return
    crossing = [s.id for s in shipments_in(session, wish.shipment_ids, wish.sequence) if s.customs]
    if crossing:
        papers = PrintRequest("customs", crossing, f"{wish.client_key[:70]}:customs")
        send_to_printer(session, papers, person_id, now)


def _body(session: Session, wish: PrintRequest, paper: str, now: datetime) -> bytes:
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
        case "customs":
            return print_customs(session, ids, now)
        case _:
            raise Invalid("unknown_kind", "This is printed from its own page.")


def send_due_prints(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> int:
    """Send what is due to the printers and ask after what they took, each by itself; return how many were printed."""
    with sessions() as session:
        due = session.scalars(
            select(PrintJob.id)
            .where(PrintJob.state.in_(_UNDER_WAY), is_due(PrintJob.next_at, clock(), LONGEST_PAUSE))
            .order_by(PrintJob.id)
        ).all()
    return sum(_go_on(sessions, outside, job_id, clock()) for job_id in due)


_UNDER_WAY = (PrintState.WAITING, PrintState.TAKEN)


def _go_on(sessions: sessionmaker[Session], outside: Outside, job_id: int, now: datetime) -> bool:
    with sessions.begin() as session:
        job = session.scalar(select(PrintJob).where(PrintJob.id == job_id).with_for_update(skip_locked=True))
        if job is None or job.state not in _UNDER_WAY:
            return False
        printer = session.scalars(select(Printer).where(Printer.code == job.printer)).one()
        try:
            said = _send_or_ask(outside, printer, job)
        except OutsideError as error:
            job.attempts += 1
            job.next_at = now + min(timedelta(seconds=5 * 2 ** min(job.attempts, 8)), LONGEST_PAUSE)
            job.last_error = f"{printer.name}: {error}"[:300]
            return False
        _believe(session, job, printer, said, now)
        return job.state == PrintState.PRINTED


def _send_or_ask(outside: Outside, printer: Printer, job: PrintJob) -> Printed:
    client = outside.printer(printer)
    if job.state == PrintState.TAKEN:
        return client.look(job.ref)
    size = size_mm10(job.paper or "roll")
    return client.take(PaperJob(job.client_key, job.title, job.copies, job.body, size))


_MOVES = {
    Fate.PRINTED: PrintMove.FINISH,
    Fate.BROKEN_OFF: PrintMove.GIVE_BACK,
    Fate.CANCELLED: PrintMove.CANCEL_THERE,
    Fate.UNKNOWN: PrintMove.LOSE_SIGHT,
}


def _believe(session: Session, job: PrintJob, printer: Printer, said: Printed, now: datetime) -> None:
    """Move a print to where its printer says that it is; labels count as printed once they are on paper."""
    if job.state == PrintState.WAITING and said.fate is not Fate.PRINTED:
        move_row(job, PRINT_MOVES, PrintState, PrintMove.TAKE)
        job.attempts = 0
    if said.fate in _MOVES:
        move_row(job, PRINT_MOVES, PrintState, _MOVES[said.fate])
    job.ref, job.last_error = said.ref[:40], f"{printer.name}: {said.words}"[:300] if said.words else ""
    if said.fate is Fate.PRINTED:
        _printed(session, job, now)
    elif said.fate is Fate.UNKNOWN:
        job.last_error = f"{printer.name} does not know this print any more. Look into its tray whether it came out."
    elif said.fate is Fate.BROKEN_OFF:
        job.attempts += 1  # under another key: the name of the one that was broken off is taken
        job.client_key = _key_again(job, now)
    job.next_at = now + (LOOK_AGAIN if said.fate is Fate.TAKEN else LONGEST_PAUSE / 10)


def _printed(session: Session, job: PrintJob, now: datetime) -> None:
    job.printed_at = now
    if job.kind == "label":
        mark_printed(session, job.shipment_ids, True, now)


def _key_again(job: PrintJob, now: datetime) -> str:
    return f"{job.client_key[:50]}-again-{job.id}-{now:%H%M%S%f}"


def print_queue(session: Session) -> Sequence[PrintJob]:
    """Return what waits, oldest first, and then what was printed last."""
    finished = PrintJob.state.in_([PrintState.PRINTED, PrintState.CANCELLED])
    query = select(PrintJob).order_by(finished, PrintJob.id.desc()).limit(KEPT)
    return session.scalars(query).all()


def change_print(session: Session, outside: Outside, job_id: int, what: str, now: datetime) -> PrintJob:
    """Cancel a print that is not on paper, say that one in doubt is, or print one again.

    Raises NotFound, Conflict where it is too late, OutsideError where its printer would have to say so and does not.
    """
    job = session.scalar(select(PrintJob).where(PrintJob.id == job_id).with_for_update())
    if job is None:
        raise NotFound("unknown_print", "There is no such print.")
    if what == "cancel" and job.state == PrintState.TAKEN:
        printer = session.scalars(select(Printer).where(Printer.code == job.printer)).one()
        outside.printer(printer).cancel(job.ref)
        job.next_at = now  # whether it was in time is what the printer says when it is asked
    elif what == "cancel":
        move_row(job, PRINT_MOVES, PrintState, PrintMove.CANCEL)
    elif what == "is_printed":
        move_row(job, PRINT_MOVES, PrintState, PrintMove.FINISH)
        _printed(session, job, now)
    elif job.state not in _UNDER_WAY:
        return _again(session, job, now)
    else:
        job.next_at = now
    defer(session, "send_prints")
    return job


def _again(session: Session, job: PrintJob, now: datetime) -> PrintJob:
    if job.state == PrintState.IN_DOUBT:
        move_row(job, PRINT_MOVES, PrintState, PrintMove.CANCEL)
    made = PrintJob(
        client_key=_key_again(job, now),
        printer=job.printer,
        kind=job.kind,
        title=f"{job.title.removesuffix(', again')}, again"[:120],
        copies=job.copies,
        body=job.body,
        paper=job.paper,
        person_id=job.person_id,
        next_at=now,
        shipment_ids=job.shipment_ids,
    )
    session.add(made)
    session.flush()
    defer(session, "send_prints")
    return made
