"""What was bought: batches, shipments, labels."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import CheckConstraint, Index, String, UniqueConstraint, false, text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from tidewind.core.addresses.check import Address
from tidewind.core.order_facts import BillTo, Hand
from tidewind.core.states.labels import LabelState
from tidewind.core.states.machine import sql_list
from tidewind.core.stored import StoredParcel, StoredQuote
from tidewind.db.base import Base, Created, Id, reference
from tidewind.db.stored import ADDRESS, BILL_TO, HAND, PARCEL, QUOTE
from tidewind.db.tables.orders import Order
from tidewind.db.tables.people import Person


class Batch(Base):
    """Orders bought together; ``client_key`` makes a doubled click one batch.

    While it is being filled, orders lie in it (``Order.batch_id``) and ``changes`` hold for all of them; then its
    shipments tell what was bought.
    """

    __tablename__ = "batch"
    __table_args__ = (CheckConstraint("state in ('filling', 'asked', 'archived')", name="state"),)
    id: Mapped[Id]
    client_key: Mapped[str] = mapped_column(String(80), unique=True)
    person_id: Mapped[int] = reference("person.id")
    name: Mapped[str] = mapped_column(String(80), default="")
    state: Mapped[str] = mapped_column(String(20), default="asked", index=True)
    changes: Mapped[Hand] = mapped_column(HAND, default=Hand())
    created_at: Mapped[Created]
    asked_at: Mapped[datetime | None]
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class Shipment(Base):
    """The intent to buy, written before the carrier is asked, and then its answer: one service, one recipient.

    ``price_minor`` is the carrier's, ``premium_minor`` the insurer's.  One that was given up is looked after
    ``watched_until`` the carrier can no longer sell it; ``unsettled`` says what is
    disputed about its charge, until somebody has settled it: a late sale that was kept, a void that was refused.
    ``duties_charged_minor`` is what the border asked for in the end, where somebody has said it.
    """

    __tablename__ = "shipment"
    __table_args__ = (
        CheckConstraint(f"state in {sql_list(LabelState)}", name="state"),
        CheckConstraint("price_minor >= 0", name="price"),
        Index("uq_shipment_live", "order_id", unique=True, postgresql_where=text(f"state in {LabelState.COUNTS}")),
        CheckConstraint("payer in ('balance', 'account', 'elsewhere')", name="payer"),
        CheckConstraint(
            "(state in ('void_asked', 'voided', 'void_refused')) = (void_asked_at is not null)", name="void"
        ),
        CheckConstraint("state in ('buying', 'failed') or bought_at is not null", name="bought"),
        Index("ix_shipment_buying", "next_try_at", postgresql_where=text("state = 'buying'")),
        Index("ix_shipment_unsettled", "asked_at", postgresql_where=text("unsettled <> ''")),
        Index("ix_shipment_watched", "next_try_at", postgresql_where=text("watched_until is not null")),
        Index("ix_shipment_void_asked", "void_due_on", postgresql_where=text("state = 'void_asked'")),
    )
    id: Mapped[Id]
    order_id: Mapped[int] = reference("customer_order.id")
    batch_id: Mapped[int] = reference("batch.id")
    idempotency_key: Mapped[str] = mapped_column(String(60), unique=True)
    state: Mapped[str] = mapped_column(String(20), default="buying")
    carrier: Mapped[str] = mapped_column(String(30))
    service: Mapped[str] = mapped_column(String(30))
    service_name: Mapped[str] = mapped_column(String(80))
    price_minor: Mapped[int]
    quote: Mapped[StoredQuote] = mapped_column(QUOTE)
    sender: Mapped[Address] = mapped_column(ADDRESS)
    address: Mapped[Address] = mapped_column(ADDRESS)
    extras: Mapped[list[Any]] = mapped_column(default=list)
    ship_date: Mapped[date]
    arrives: Mapped[date | None]
    asked_at: Mapped[datetime]
    bought_at: Mapped[datetime | None]
    failure: Mapped[str] = mapped_column(String(500), default="")
    tracking_key: Mapped[str] = mapped_column(String(43), unique=True)
    tracking_state: Mapped[str] = mapped_column(String(30), default="announced")
    next_look_at: Mapped[datetime | None] = mapped_column(index=True)
    reference: Mapped[str] = mapped_column(String(60), default="")
    payer: Mapped[str] = mapped_column(String(20), default="balance")
    account: Mapped[str] = mapped_column(String(40), default="")
    premium_minor: Mapped[int] = mapped_column(default=0)
    bill_to: Mapped[BillTo] = mapped_column(BILL_TO, default=BillTo())
    customs: Mapped[dict[str, Any]] = mapped_column(default=dict)
    duties_charged_minor: Mapped[int | None]
    begun_at: Mapped[datetime | None]
    attempts: Mapped[int] = mapped_column(default=0)
    next_try_at: Mapped[datetime | None]
    watched_until: Mapped[datetime | None]
    unsettled: Mapped[str] = mapped_column(String(300), default="")
    void_asked_at: Mapped[datetime | None]
    void_asked_by: Mapped[str] = mapped_column(String(120), default="")
    void_due_on: Mapped[date | None]
    void_settled_at: Mapped[datetime | None]
    void_words: Mapped[str] = mapped_column(String(300), default="")
    overtaken: Mapped[bool] = mapped_column(default=False, server_default=false())
    chased_at: Mapped[datetime | None]
    labels: Mapped[list[Label]] = relationship(
        order_by="Label.parcel_no", cascade="all, delete-orphan", lazy="selectin"
    )
    order: Mapped[Order] = relationship(lazy="joined", innerjoin=True)


_UNDER_WAY = "tracking_state not in ('announced', 'delivered', 'returned')"


class Label(Base):
    """One parcel's label with its tracking number; the departure it goes with is its own, since one can be left behind.

    ``counted_at`` is when it was scanned out for the driver, ``handed_over_at`` when it went.  ``tracking_state`` is a
    fold over its events: since when it stands so, why, and when something was last heard, stand beside it.
    """

    __tablename__ = "label"
    __table_args__ = (
        UniqueConstraint("shipment_id", "parcel_no"),
        CheckConstraint("gross_g > 0", name="gross"),
        # A number is looked for by any part of it.
        Index(
            "ix_label_tracking_number_parts",
            "tracking_number",
            postgresql_using="gin",
            postgresql_ops={"tracking_number": "gin_trgm_ops"},
        ),
        Index("ix_label_under_way", "shipment_id", postgresql_where=text(_UNDER_WAY)),
    )
    id: Mapped[Id]
    shipment_id: Mapped[int] = reference("shipment.id", cascade=True)
    parcel_no: Mapped[int]
    parcel: Mapped[StoredParcel] = mapped_column(PARCEL)
    gross_g: Mapped[int]
    tracking_number: Mapped[str | None] = mapped_column(String(40), unique=True)
    routing: Mapped[str] = mapped_column(String(40), default="")
    printed_at: Mapped[datetime | None]
    departure_id: Mapped[int] = reference("departure.id")
    counted_at: Mapped[datetime | None]
    handed_over_at: Mapped[datetime | None]
    tracking_state: Mapped[str] = mapped_column(String(30), default="announced")
    tracking_since: Mapped[datetime | None]
    tracking_reason: Mapped[str] = mapped_column(String(20), default="")
    last_event_at: Mapped[datetime | None]
