"""What was bought and what follows from it: batches, shipments, labels, departures, notices, messages, events."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import CheckConstraint, Index, String, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from tidewind.db.base import Base, Created, Id, reference
from tidewind.db.tables.orders import Order

LABEL_STATES = ("buying", "bought", "failed", "void_asked", "voided", "void_refused")
LIVE = "state in ('buying', 'bought', 'void_asked', 'void_refused')"


class Batch(Base):
    """Orders bought together; ``client_key`` makes a doubled click one batch."""

    __tablename__ = "batch"
    id: Mapped[Id]
    client_key: Mapped[str] = mapped_column(String(80), unique=True)
    person_id: Mapped[int] = reference("person.id")
    created_at: Mapped[Created]


class Departure(Base):
    """One handover: carrier, place, day and network; labels belong to one."""

    __tablename__ = "departure"
    __table_args__ = (
        UniqueConstraint("carrier", "place_id", "day", "network"),
        CheckConstraint("state in ('open', 'closed', 'handed_over', 'missed')", name="state"),
    )
    id: Mapped[Id]
    carrier: Mapped[str] = mapped_column(String(30))
    network: Mapped[str] = mapped_column(String(30))
    place_id: Mapped[int] = reference("place.id")
    day: Mapped[date] = mapped_column(index=True)
    cutoff_at: Mapped[datetime]
    state: Mapped[str] = mapped_column(String(20), default="open")


class Shipment(Base):
    """The intent to buy, written before the carrier is asked, and then its answer: one service, one recipient."""

    __tablename__ = "shipment"
    __table_args__ = (
        CheckConstraint(f"state in {LABEL_STATES}", name="state"),
        CheckConstraint("price_minor >= 0", name="price"),
        Index("uq_shipment_live", "order_id", unique=True, postgresql_where=text(LIVE)),
        Index("ix_shipment_buying", "asked_at", postgresql_where=text("state = 'buying'")),
    )
    id: Mapped[Id]
    order_id: Mapped[int] = reference("customer_order.id")
    batch_id: Mapped[int] = reference("batch.id")
    departure_id: Mapped[int] = reference("departure.id")
    idempotency_key: Mapped[str] = mapped_column(String(60), unique=True)
    state: Mapped[str] = mapped_column(String(20), default="buying")
    carrier: Mapped[str] = mapped_column(String(30))
    service: Mapped[str] = mapped_column(String(30))
    service_name: Mapped[str] = mapped_column(String(80))
    price_minor: Mapped[int]
    quote: Mapped[dict[str, Any]]
    sender: Mapped[dict[str, Any]]
    address: Mapped[dict[str, Any]]
    extras: Mapped[list[Any]] = mapped_column(default=list)
    ship_date: Mapped[date]
    arrives: Mapped[date | None]
    asked_at: Mapped[datetime]
    bought_at: Mapped[datetime | None]
    failure: Mapped[str] = mapped_column(String(500), default="")
    tracking_key: Mapped[str] = mapped_column(String(43), unique=True)
    tracking_state: Mapped[str] = mapped_column(String(30), default="announced")
    next_look_at: Mapped[datetime | None] = mapped_column(index=True)
    labels: Mapped[list[Label]] = relationship(
        order_by="Label.parcel_no", cascade="all, delete-orphan", lazy="selectin"
    )
    order: Mapped[Order] = relationship(lazy="joined", innerjoin=True)


class Label(Base):
    """One parcel's label with its tracking number."""

    __tablename__ = "label"
    __table_args__ = (UniqueConstraint("shipment_id", "parcel_no"), CheckConstraint("gross_g > 0", name="gross"))
    id: Mapped[Id]
    shipment_id: Mapped[int] = reference("shipment.id", cascade=True)
    parcel_no: Mapped[int]
    parcel: Mapped[dict[str, Any]]
    gross_g: Mapped[int]
    tracking_number: Mapped[str | None] = mapped_column(String(40), unique=True)
    routing: Mapped[str] = mapped_column(String(40), default="")
    printed_at: Mapped[datetime | None]


class TrackingEvent(Base):
    """A carrier's event, in our states; the same event told twice is one row."""

    __tablename__ = "tracking_event"
    __table_args__ = (UniqueConstraint("label_id", "at", "state", "spot"),)
    id: Mapped[Id]
    label_id: Mapped[int] = reference("label.id", cascade=True)
    at: Mapped[datetime]
    state: Mapped[str] = mapped_column(String(30))
    words: Mapped[str] = mapped_column(String(200))
    spot: Mapped[str] = mapped_column(String(120), default="")


class ChannelNotice(Base):
    """What a channel must be told about a shipment; retried until it sticks."""

    __tablename__ = "channel_notice"
    __table_args__ = (
        UniqueConstraint("shipment_id", "kind"),
        Index("ix_channel_notice_due", "next_at", postgresql_where=text("done_at is null")),
    )
    id: Mapped[Id]
    shipment_id: Mapped[int] = reference("shipment.id", cascade=True)
    kind: Mapped[str] = mapped_column(String(20))
    attempts: Mapped[int] = mapped_column(default=0)
    next_at: Mapped[datetime]
    done_at: Mapped[datetime | None]
    last_error: Mapped[str] = mapped_column(String(300), default="")


class Message(Base):
    """One mail to somebody, with the reason it was sent; at most one of a kind per shipment."""

    __tablename__ = "message"
    __table_args__ = (
        UniqueConstraint("shipment_id", "kind"),
        Index("ix_message_due", "next_at", postgresql_where=text("sent_at is null")),
    )
    id: Mapped[Id]
    shipment_id: Mapped[int] = reference("shipment.id", cascade=True)
    kind: Mapped[str] = mapped_column(String(30))
    recipient: Mapped[str] = mapped_column(String(200))
    subject: Mapped[str] = mapped_column(String(200))
    body: Mapped[str]
    reason: Mapped[str] = mapped_column(String(200))
    attempts: Mapped[int] = mapped_column(default=0)
    next_at: Mapped[datetime]
    sent_at: Mapped[datetime | None]
    last_error: Mapped[str] = mapped_column(String(300), default="")
    created_at: Mapped[Created]
