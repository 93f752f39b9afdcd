"""How each kind of document is printed, the printers, and what was sent to them."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, Index, LargeBinary, String, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column

from tidewind.core.printing import PrinterFacts
from tidewind.core.states.machine import sql_list
from tidewind.core.states.prints import PrintState
from tidewind.db.base import Base, Created, Id, reference
from tidewind.db.stored import PRINTER_FACTS

KINDS = ("label", "packing_slip", "pick_list", "batch_summary", "invoice", "return_label", "customs")


PRINTER_KINDS = ("ipp", "server")


class Printer(Base):
    """A printer by IPP, or a small server before one that takes PDF over HTTP; ``facts`` is what it said last."""

    __tablename__ = "printer"
    __table_args__ = (CheckConstraint(f"kind in {PRINTER_KINDS}", name="kind"),)
    id: Mapped[Id]
    code: Mapped[str] = mapped_column(String(30), unique=True)
    name: Mapped[str] = mapped_column(String(80))
    base_url: Mapped[str] = mapped_column(String(200))
    active: Mapped[bool] = mapped_column(default=True)
    kind: Mapped[str] = mapped_column(String(20), default="server")
    facts: Mapped[PrinterFacts] = mapped_column(PRINTER_FACTS, default=PrinterFacts)
    seen_at: Mapped[datetime | None]
    failure: Mapped[str] = mapped_column(String(300), default="")


class PrintPreference(Base):
    """What stands chosen when a kind of document is printed: paper, printer (none: the browser), copies."""

    __tablename__ = "print_preference"
    __table_args__ = (
        CheckConstraint(f"kind in {KINDS}", name="kind"),
        CheckConstraint("copies between 1 and 9", name="copies"),
    )
    kind: Mapped[str] = mapped_column(String(20), primary_key=True)
    paper: Mapped[str] = mapped_column(String(20))
    printer: Mapped[str] = mapped_column(String(30), default="")
    copies: Mapped[int] = mapped_column(default=1)


class PrintJob(Base):
    """A document on its way to a printer; sent again until the printer has taken it."""

    __tablename__ = "print_job"
    __table_args__ = (
        CheckConstraint(f"state in {sql_list(PrintState)}", name="state"),
        Index("ix_print_job_due", "next_at", postgresql_where=text("state in ('waiting', 'taken')")),
    )
    id: Mapped[Id]
    client_key: Mapped[str] = mapped_column(String(80), unique=True)
    printer: Mapped[str] = mapped_column(String(30))
    kind: Mapped[str] = mapped_column(String(20))
    title: Mapped[str] = mapped_column(String(120))
    copies: Mapped[int] = mapped_column(default=1)
    body: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    paper: Mapped[str] = mapped_column(String(20), default="")
    ref: Mapped[str] = mapped_column(String(40), default="")
    state: Mapped[str] = mapped_column(String(20), default="waiting")
    person_id: Mapped[int] = reference("person.id")
    attempts: Mapped[int] = mapped_column(default=0)
    next_at: Mapped[datetime]
    printed_at: Mapped[datetime | None]
    last_error: Mapped[str] = mapped_column(String(300), default="")
    shipment_ids: Mapped[list[Any]] = mapped_column(default=list)
    created_at: Mapped[Created]


class OwnPaper(Base):
    """A page of an invoice that the shop made elsewhere for an order, drawn anew; it stands for the one we make."""

    __tablename__ = "own_paper"
    __table_args__ = (UniqueConstraint("order_id", "page_no"),)
    id: Mapped[Id]
    order_id: Mapped[int] = reference("customer_order.id", cascade=True)
    page_no: Mapped[int]
    picture: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    file_name: Mapped[str] = mapped_column(String(120))
    by: Mapped[str] = mapped_column(String(120))
    created_at: Mapped[Created]
