"""What is told to channels and people after a purchase, and how far that has come."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import Index, String, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column

from tidewind.db.base import Base, Created, Id, reference


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
    """One mail to somebody, with the reason it was sent; at most one of a kind per shipment.

    ``attach`` names the paper that goes with it (``label``), drawn when it is sent.
    """

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
    attach: Mapped[str] = mapped_column(String(20), default="")
    attempts: Mapped[int] = mapped_column(default=0)
    next_at: Mapped[datetime]
    sent_at: Mapped[datetime | None]
    last_error: Mapped[str] = mapped_column(String(300), default="")
    created_at: Mapped[Created]
