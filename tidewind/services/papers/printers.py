"""Printers: added by their address, asked how they do, and what stands chosen for each kind of document."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from urllib.parse import urlsplit

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.printing import medium_for
from tidewind.core.states.prints import PrintState
from tidewind.db.tables import Printer, PrintJob, PrintPreference
from tidewind.db.tables.papers import KINDS
from tidewind.documents.lists import SHEETS
from tidewind.documents.paper import STOCK_NAMES, STOCKS, size_mm10
from tidewind.outside.errors import OutsideError
from tidewind.services.base import Conflict, Invalid, NotFound, Outside

PAPERS = {
    "label": tuple(STOCKS),
    "return_label": tuple(STOCKS),
    "packing_slip": ("a5",),
    "pick_list": tuple(SHEETS),
    "batch_summary": tuple(SHEETS),
    "invoice": tuple(SHEETS),
    "customs": ("a4",),
}
_KINDS_BY_SCHEME = {"ipp": "ipp", "ipps": "ipp", "http": "server", "https": "server"}


def all_printers(session: Session) -> Sequence[Printer]:
    """Return the printers in use."""
    return session.scalars(select(Printer).where(Printer.active).order_by(Printer.name)).all()


def printer_named(session: Session, code: str) -> Printer:
    """Return a printer in use.  Raises Invalid where there is none."""
    row = session.scalar(select(Printer).where(Printer.code == code, Printer.active))
    if row is None:
        raise Invalid("unknown_printer", f"There is no printer {code[:30]}.")
    return row


def add_printer(session: Session, outside: Outside, name: str, address: str, now: datetime, code: str = "") -> Printer:
    """Add a printer by its address, once it has answered: ``ipp`` and ``ipps``, or ``http`` for a server before one.

    Raises Invalid where the address is none or nothing there answers as a printer, Conflict for one that is there.
    """
    kind = _KINDS_BY_SCHEME.get(urlsplit(address.replace("{standins}", "http://localhost")).scheme)
    if kind is None:
        raise Invalid("bad_address", "A printer’s address begins with ipp://, ipps://, http:// or https://.")
    if not name.strip():
        raise Invalid("no_name", "Give the printer a name by which people know it.")
    there = session.scalar(select(Printer).where(Printer.base_url == address, Printer.active))
    if there is not None:
        raise Conflict("printer_there", f"This printer is there already, as {there.name}.")
    row = Printer(code=code or _free_code(session), name=name.strip()[:80], base_url=address, kind=kind)
    _ask(outside, row, now)
    if row.failure:
        raise Invalid("no_printer_there", f"No printer answers at {address[:100]}: {row.failure}.")
    session.add(row)
    session.flush()
    return row


def _free_code(session: Session) -> str:
    return f"printer-{(session.scalar(select(func.max(Printer.id))) or 0) + 1}"


def _ask(outside: Outside, row: Printer, now: datetime) -> None:
    try:
        row.facts = outside.printer(row).facts()
    except OutsideError as error:
        row.failure = str(error)[:300]
        return
    row.failure, row.seen_at = "", now


def look_at_printer(session: Session, outside: Outside, code: str, now: datetime) -> Printer:
    """Ask a printer anew what it has and how it does; what it says, or that it says nothing, is kept."""
    row = printer_named(session, code)
    _ask(outside, row, now)
    return row


def look_at_printers(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> None:
    """Ask every printer that can say it how it does, each by itself."""
    with sessions() as session:
        codes = session.scalars(select(Printer.code).where(Printer.active, Printer.kind == "ipp")).all()
    for code in codes:
        with sessions.begin() as session:
            look_at_printer(session, outside, code, clock())


def remove_printer(session: Session, code: str) -> int:
    """Take a printer out of use; the browser prints what was its work.  Returns how many prints that cancelled.

    What was printed stays in the list.  Raises NotFound.
    """
    row = session.scalar(select(Printer).where(Printer.code == code, Printer.active).with_for_update())
    if row is None:
        raise NotFound("unknown_printer", f"There is no printer {code[:30]}.")
    row.active = False
    session.execute(update(PrintPreference).where(PrintPreference.printer == code).values(printer=""))
    waiting = update(PrintJob).where(PrintJob.printer == code, PrintJob.state.in_(["waiting", "in_doubt"]))
    return len(session.scalars(waiting.values(state=PrintState.CANCELLED).returning(PrintJob.id)).all())


def papers_of(row: Printer) -> list[str]:
    """Return the papers that a printer has; all of them where it cannot say."""
    if row.kind == "server":
        return [*STOCKS, "a5"]
    return [paper for paper in (*STOCKS, "a5") if medium_for(size_mm10(paper), row.facts)]


def print_preferences(session: Session) -> list[PrintPreference]:
    """Return what stands chosen for every kind of document; the browser and the first paper where nobody chose."""
    kept = {p.kind: p for p in session.scalars(select(PrintPreference))}
    return [kept.get(k) or PrintPreference(kind=k, paper=PAPERS[k][0], printer="", copies=1) for k in KINDS]


def set_print_preference(session: Session, kind: str, paper: str, printer: str, copies: int) -> PrintPreference:
    """Keep what stands chosen for a kind of document.  Raises Invalid for what does not exist."""
    if kind not in PAPERS or paper not in PAPERS[kind]:
        raise Invalid("unknown_paper", f"For this the papers are: {', '.join(PAPERS.get(kind, ()))}.")
    if printer and paper not in papers_of(chosen := printer_named(session, printer)):
        has = ", ".join(STOCK_NAMES.get(one, one.upper()) for one in papers_of(chosen)) or "none that we print on"
        raise Invalid("no_such_paper", f"{chosen.name} has no {STOCK_NAMES.get(paper, paper.upper())}; it has {has}.")
    if not 1 <= copies <= 9:
        raise Invalid("copies", "Between 1 and 9 copies are printed.")
    row = session.get(PrintPreference, kind)
    if row is None:
        row = PrintPreference(kind=kind, paper=paper, printer=printer, copies=copies)
        session.add(row)
    row.paper, row.printer, row.copies = paper, printer, copies
    return row
