"""What follows a purchase: events, what channels and people are told, labels for the way back and for colleagues."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Index, LargeBinary, String, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from tidewind.core.addresses.check import Address
from tidewind.core.states.claims import ClaimState
from tidewind.core.states.machine import sql_list
from tidewind.core.states.returns import ReturnState
from tidewind.core.states.wishes import WishState
from tidewind.core.stored import NO_ADDRESS
from tidewind.db.base import Base, Created, Id, reference
from tidewind.db.stored import ADDRESS
from tidewind.db.tables.buying import Shipment


class TrackingEvent(Base):
    """A carrier's event as it was told, and in our states; the same event told twice is one row.

    ``state`` is empty where nobody has said what the carrier's ``code`` means; ``takes_back`` names an event by its
    ``event_id`` that this one, an amendment, takes back.
    """

    __tablename__ = "tracking_event"
    __table_args__ = (
        UniqueConstraint("label_id", "at", "state", "spot", "takes_back"),
        Index("ix_tracking_event_unknown", "code", postgresql_where=text("state = ''")),
    )
    id: Mapped[Id]
    label_id: Mapped[int] = reference("label.id", cascade=True)
    at: Mapped[datetime]
    state: Mapped[str] = mapped_column(String(30))
    words: Mapped[str] = mapped_column(String(200))
    spot: Mapped[str] = mapped_column(String(120), default="")
    event_id: Mapped[str] = mapped_column(String(80), default="")
    takes_back: Mapped[str] = mapped_column(String(80), default="")
    code: Mapped[str] = mapped_column(String(40), default="")
    reason: Mapped[str] = mapped_column(String(20), default="")
    heard_at: Mapped[datetime | None]


class CarrierNotice(Base):
    """What a carrier told by itself, as it came; ``body`` is its events, ``failure`` what of it made no sense."""

    __tablename__ = "carrier_notice"
    __table_args__ = (
        UniqueConstraint("carrier", "notice_id"),
        Index("ix_carrier_notice_waits", "id", postgresql_where=text("done_at is null")),
    )
    id: Mapped[Id]
    carrier: Mapped[str] = mapped_column(String(30))
    notice_id: Mapped[str] = mapped_column(String(100))
    body: Mapped[list[Any]]
    heard_at: Mapped[datetime]
    done_at: Mapped[datetime | None]
    failure: Mapped[str] = mapped_column(String(200), default="")


class FollowedNumber(Base):
    """A parcel that is followed though we did not send it: on its way to us, or bought elsewhere.

    ``events`` are all that its carrier told, ``told`` the state that whoever waits (``tell_mail``) was told of last.
    """

    __tablename__ = "followed_number"
    __table_args__ = (
        UniqueConstraint("carrier", "number"),
        Index("ix_followed_number_due", "next_look_at", postgresql_where=text("next_look_at is not null")),
    )
    id: Mapped[Id]
    carrier: Mapped[str] = mapped_column(String(30))
    number: Mapped[str] = mapped_column(String(40))
    what: Mapped[str] = mapped_column(String(200), default="")
    tell_mail: Mapped[str] = mapped_column(String(200), default="")
    asked_by: Mapped[str] = mapped_column(String(120), default="")
    state: Mapped[str] = mapped_column(String(30), default="announced")
    events: Mapped[list[Any]] = mapped_column(default=list)
    told: Mapped[str] = mapped_column(String(30), default="")
    failure: Mapped[str] = mapped_column(String(200), default="")
    next_look_at: Mapped[datetime | None]
    created_at: Mapped[Created]


class Claim(Base):
    """Money asked of a carrier for what was lost or damaged; ``claim_by`` is the last day for it.

    ``label_ids`` are the parcels that it is about, empty for all of the shipment.
    """

    __tablename__ = "claim"
    __table_args__ = (
        CheckConstraint(f"state in {sql_list(ClaimState)}", name="state"),
        CheckConstraint("kind in ('lost', 'damaged')", name="kind"),
        CheckConstraint("amount_minor > 0 and paid_minor >= 0", name="amounts"),
        Index("uq_claim_live", "shipment_id", unique=True, postgresql_where=text(f"state in {ClaimState.COUNTS}")),
    )
    id: Mapped[Id]
    shipment_id: Mapped[int] = reference("shipment.id", cascade=True)
    kind: Mapped[str] = mapped_column(String(10))
    state: Mapped[str] = mapped_column(String(10), default="open")
    amount_minor: Mapped[int]
    label_ids: Mapped[list[Any]] = mapped_column(default=list, server_default="[]")
    claim_by: Mapped[date]
    opened_by: Mapped[str] = mapped_column(String(120), default="")
    opened_at: Mapped[datetime]
    mail_to: Mapped[str] = mapped_column(String(200), default="")
    sent_at: Mapped[datetime | None]
    paid_minor: Mapped[int] = mapped_column(default=0)
    words: Mapped[str] = mapped_column(String(500), default="")
    settled_at: Mapped[datetime | None]
    shipment: Mapped[Shipment] = relationship()


class ParcelDeed(Base):
    """What somebody did about a parcel that needed it: asked the carrier, told the buyer, saw to it; with the words."""

    __tablename__ = "parcel_deed"
    id: Mapped[Id]
    shipment_id: Mapped[int] = reference("shipment.id", cascade=True)
    at: Mapped[datetime]
    who: Mapped[str] = mapped_column(String(120))
    kind: Mapped[str] = mapped_column(String(20))
    trouble: Mapped[str] = mapped_column(String(20))
    words: Mapped[str] = mapped_column(String(2_000), default="")
    mail_to: Mapped[str] = mapped_column(String(200), default="")


REQUEST_STATES = ("asked", "approved", "declined", "labelled")


class Return(Base):
    """A label for the way back of a shipment; the carrier charges it when it is first scanned.

    Where its buyer asked for it: ``items`` are what comes back (SKU, name, how many), ``words`` theirs.
    """

    __tablename__ = "parcel_return"
    __table_args__ = (
        CheckConstraint(f"state in {sql_list(ReturnState)}", name="state"),
        CheckConstraint("price_minor >= 0", name="price"),
        CheckConstraint("used_at is null or tracking_number is not null", name="used"),
        Index(
            "uq_parcel_return_live",
            "shipment_id",
            unique=True,
            postgresql_where=text(f"state in {ReturnState.COUNTS}"),
        ),
        Index("ix_parcel_return_open", "state", postgresql_where=text("state in ('making', 'ready', 'on_its_way')")),
    )
    id: Mapped[Id]
    shipment_id: Mapped[int] = reference("shipment.id")
    idempotency_key: Mapped[str] = mapped_column(String(60), unique=True)
    state: Mapped[str] = mapped_column(String(20), default="making")
    in_box: Mapped[bool] = mapped_column(default=False)
    reason: Mapped[str] = mapped_column(String(200), default="")
    items: Mapped[list[Any]] = mapped_column(default=list)
    words: Mapped[str] = mapped_column(String(500), default="")
    buyer_pays: Mapped[bool] = mapped_column(default=False)
    photo: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    price_minor: Mapped[int]
    tracking_number: Mapped[str | None] = mapped_column(String(40), unique=True)
    routing: Mapped[str] = mapped_column(String(40), default="")
    asked_by: Mapped[str] = mapped_column(String(120), default="")
    asked_at: Mapped[datetime]
    used_at: Mapped[datetime | None]
    back_at: Mapped[datetime | None]
    outcome: Mapped[str] = mapped_column(String(200), default="")
    restocked: Mapped[bool] = mapped_column(default=False)
    failure: Mapped[str] = mapped_column(String(300), default="")
    shipment: Mapped[Shipment] = relationship(lazy="joined", innerjoin=True)


class RequestLink(Base):
    """A link to the form by which colleagues without a login ask for a label; it cannot be guessed."""

    __tablename__ = "request_link"
    id: Mapped[Id]
    key: Mapped[str] = mapped_column(String(43), unique=True)
    name: Mapped[str] = mapped_column(String(80))
    cost_codes: Mapped[list[Any]] = mapped_column(default=list)
    active: Mapped[bool] = mapped_column(default=True)
    created_at: Mapped[Created]


class LabelRequest(Base):
    """A wish for a label, as it was typed, and what became of it."""

    __tablename__ = "label_request"
    __table_args__ = (CheckConstraint(f"state in {REQUEST_STATES}", name="state"),)
    id: Mapped[Id]
    link_id: Mapped[int] = reference("request_link.id")
    client_key: Mapped[str] = mapped_column(String(80), unique=True)
    view_key: Mapped[str] = mapped_column(String(43), unique=True)
    state: Mapped[str] = mapped_column(String(20), default="asked", index=True)
    asked_by: Mapped[str] = mapped_column(String(120))
    source: Mapped[str] = mapped_column(String(200), default="")
    why: Mapped[str] = mapped_column(String(300), default="")
    cost_code: Mapped[str] = mapped_column(String(60), default="")
    sender: Mapped[Address] = mapped_column(ADDRESS, default=NO_ADDRESS)
    address: Mapped[Address] = mapped_column(ADDRESS)
    what: Mapped[str] = mapped_column(String(120))
    gross_g: Mapped[int]
    sides_mm: Mapped[list[Any]]
    value_minor: Mapped[int] = mapped_column(default=0)
    sticker_mail: Mapped[str] = mapped_column(String(200))
    waiter_mail: Mapped[str] = mapped_column(String(200), default="")
    order_id: Mapped[int | None] = reference("customer_order.id")
    decided_by: Mapped[str] = mapped_column(String(120), default="")
    decided_at: Mapped[datetime | None]
    words: Mapped[str] = mapped_column(String(300), default="")
    created_at: Mapped[Created]
    link: Mapped[RequestLink] = relationship(lazy="joined", innerjoin=True)


class ParcelWish(Base):
    """What a buyer wished of a delivery: another day, a neighbour (``words``), a point near them."""

    __tablename__ = "parcel_wish"
    __table_args__ = (
        CheckConstraint(f"state in {sql_list(WishState)}", name="state"),
        Index(
            "uq_parcel_wish_standing",
            "shipment_id",
            unique=True,
            postgresql_where=text(f"state in {WishState.COUNTS}"),
        ),
    )
    id: Mapped[Id]
    shipment_id: Mapped[int] = reference("shipment.id", cascade=True)
    idempotency_key: Mapped[str] = mapped_column(String(60), unique=True)
    kind: Mapped[str] = mapped_column(String(20))
    day: Mapped[date | None]
    words: Mapped[str] = mapped_column(String(120), default="")
    state: Mapped[str] = mapped_column(String(20), default="asked")
    asked_at: Mapped[datetime]
    attempts: Mapped[int] = mapped_column(default=0)
    next_at: Mapped[datetime]
    failure: Mapped[str] = mapped_column(String(300), default="")


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


class MessageRules(Base):
    """What a channel tells its buyers, in which words and colours; without a channel: the shop's own, for all."""

    __tablename__ = "message_rules"
    __table_args__ = (Index("uq_message_rules", text("coalesce(channel_id, 0)"), unique=True),)
    id: Mapped[Id]
    channel_id: Mapped[int | None] = mapped_column(BigInteger, ForeignKey("channel.id", ondelete="cascade"))
    body: Mapped[dict[str, Any]] = mapped_column(default=dict)
    version: Mapped[int] = mapped_column(default=1)


class BlockedAddress(Base):
    """A mail address or phone number to which nothing is sent any more, in small letters, and why."""

    __tablename__ = "blocked_address"
    __table_args__ = (CheckConstraint("why in ('bounced', 'complained', 'asked', 'by_hand')", name="why"),)
    id: Mapped[Id]
    address: Mapped[str] = mapped_column(String(200), unique=True)
    why: Mapped[str] = mapped_column(String(10))
    words: Mapped[str] = mapped_column(String(300), default="")
    created_at: Mapped[Created]


class Message(Base):
    """One mail or SMS to somebody, with the reason it was sent or why it was not; at most one of a kind per shipment.

    ``attach`` names the paper that goes with it (``label``), drawn when it is sent.  ``trigger`` is what it tells the
    buyer of, empty for what goes to others; ``hold``: ``held`` until somebody lets it go.
    """

    __tablename__ = "message"
    __table_args__ = (
        UniqueConstraint("shipment_id", "kind"),
        Index("ix_message_due", "next_at", postgresql_where=text("sent_at is null and not_sent = ''")),
        Index("ix_message_newest", "created_at"),
        CheckConstraint("by in ('mail', 'sms')", name="by"),
        CheckConstraint("hold in ('', 'held', 'let_go')", name="hold"),
    )
    id: Mapped[Id]
    shipment_id: Mapped[int] = reference("shipment.id", cascade=True)
    trigger: Mapped[str] = mapped_column(String(20), default="")
    by: Mapped[str] = mapped_column(String(4), default="mail")
    language: Mapped[str] = mapped_column(String(5), default="")
    not_sent: Mapped[str] = mapped_column(String(200), default="")
    hold: Mapped[str] = mapped_column(String(6), default="")
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
