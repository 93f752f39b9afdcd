"""Orders as imported, with the plan made for each."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Index, LargeBinary, String, Text, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from tidewind.core.addresses.check import Address
from tidewind.core.order_facts import Hand
from tidewind.core.states.imports import ImportState
from tidewind.core.states.machine import sql_list
from tidewind.core.states.orders import OrderStanding, OrderState
from tidewind.core.stored import NO_ADDRESS, StoredPlan
from tidewind.db.base import Base, Created, Id, reference
from tidewind.db.stored import ADDRESS, HAND, PLAN


class SavedView(Base):
    """A person's own view of a list (``page``: orders, tracking): what is asked for and how it is sorted."""

    __tablename__ = "saved_view"
    __table_args__ = (UniqueConstraint("person_id", "page", "name"),)
    id: Mapped[Id]
    person_id: Mapped[int] = reference("person.id", cascade=True)
    page: Mapped[str] = mapped_column(String(20), default="orders")
    name: Mapped[str] = mapped_column(String(60))
    asks: Mapped[dict[str, Any]]


class OrderChange(Base):
    """One entry of an order's history: who did what, with what stood there before, so that it can be undone."""

    __tablename__ = "order_change"
    id: Mapped[Id]
    order_id: Mapped[int] = reference("customer_order.id", cascade=True)
    at: Mapped[datetime]
    who: Mapped[str] = mapped_column(String(120))
    what: Mapped[str] = mapped_column(String(300))
    undo: Mapped[dict[str, Any]] = mapped_column(default=dict)


_STANDINGS = f"({', '.join(str(tuple(map(str, s.value))) for s in OrderStanding)})"


class Channel(Base):
    """A web store or marketplace, or the spreadsheet that orders came from.

    ``stock``: whose count of pieces holds, "theirs" (it tells us) or "ours" (it is told); empty where neither is.
    """

    __tablename__ = "channel"
    __table_args__ = (CheckConstraint("stock in ('', 'theirs', 'ours')", name="stock"),)
    id: Mapped[Id]
    code: Mapped[str] = mapped_column(String(30), unique=True)
    name: Mapped[str] = mapped_column(String(80))
    kind: Mapped[str] = mapped_column(String(20))
    base_url: Mapped[str] = mapped_column(String(200), default="")
    cursor: Mapped[str] = mapped_column(String(200), default="")
    last_pull_at: Mapped[datetime | None]
    last_pull: Mapped[dict[str, Any]] = mapped_column(default=dict)
    adapter: Mapped[str] = mapped_column(String(30), default="")
    state: Mapped[str] = mapped_column(String(20), default="connected")
    secret_sealed: Mapped[str] = mapped_column(String(1000), default="")
    states: Mapped[dict[str, Any]] = mapped_column(default=dict)
    payments: Mapped[dict[str, Any]] = mapped_column(default=dict)
    write_back: Mapped[dict[str, Any]] = mapped_column(default=dict)
    every_minutes: Mapped[int] = mapped_column(default=10)
    brand: Mapped[str] = mapped_column(String(80), default="")
    mail_from: Mapped[str] = mapped_column(String(200), default="")
    stock: Mapped[str] = mapped_column(String(10), default="")


class ChannelLevel(Base):
    """What a channel has been told, or has told us, of the pieces of an article that are left to sell."""

    __tablename__ = "channel_level"
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id", ondelete="cascade"), primary_key=True)
    sku: Mapped[str] = mapped_column(String(60), primary_key=True)
    pieces: Mapped[int]
    at: Mapped[datetime]
    refused: Mapped[bool] = mapped_column(default=False)


class ChannelLog(Base):
    """One line of a channel's log: a pull, a notice, a test; what came, what was left out and why."""

    __tablename__ = "channel_log"
    id: Mapped[Id]
    channel_id: Mapped[int] = reference("channel.id", cascade=True)
    at: Mapped[datetime]
    kind: Mapped[str] = mapped_column(String(20))
    counts: Mapped[dict[str, Any]] = mapped_column(default=dict)
    entries: Mapped[list[Any]] = mapped_column(default=list)
    failure: Mapped[str] = mapped_column(String(300), default="")


class Aside(Base):
    """An order of a channel that was not taken in: one that is not fetched, or that could not be read, whole."""

    __tablename__ = "channel_aside"
    __table_args__ = (
        UniqueConstraint("channel_id", "number"),
        CheckConstraint("kind in ('ignored', 'unreadable')", name="kind"),
    )
    id: Mapped[Id]
    channel_id: Mapped[int] = reference("channel.id", cascade=True, index=False)
    number: Mapped[str] = mapped_column(String(60))
    kind: Mapped[str] = mapped_column(String(20))
    stage: Mapped[str] = mapped_column(String(60), default="")
    why: Mapped[str] = mapped_column(String(300))
    body: Mapped[dict[str, Any]] = mapped_column(default=dict)
    cursor: Mapped[str] = mapped_column(String(200))
    at: Mapped[datetime]


class Difference(Base):
    """What a channel changed about an order after it was imported, waiting to be taken or refused."""

    __tablename__ = "order_difference"
    __table_args__ = (
        CheckConstraint("state in ('waiting', 'taken', 'refused', 'withdrawn')", name="state"),
        Index("uq_order_difference_waiting", "order_id", unique=True, postgresql_where=text("state = 'waiting'")),
    )
    id: Mapped[Id]
    order_id: Mapped[int] = reference("customer_order.id", cascade=True)
    at: Mapped[datetime]
    kind: Mapped[str] = mapped_column(String(20))
    changes: Mapped[list[Any]]
    upstream: Mapped[dict[str, Any]]
    fate: Mapped[dict[str, Any]] = mapped_column(default=dict)
    state: Mapped[str] = mapped_column(String(20), default="waiting")
    decided_by: Mapped[str] = mapped_column(String(120), default="")
    decided_at: Mapped[datetime | None]


class Import(Base):
    """An uploaded spreadsheet: its rows as read, the mapping, what was made of them and what was kept back."""

    __tablename__ = "import_file"
    __table_args__ = (
        CheckConstraint(f"state in {sql_list(ImportState)}", name="state"),
        Index("ix_import_file_digest", "digest"),
        Index("ix_import_file_feed", "feed_id", "digest"),
    )
    id: Mapped[Id]
    file_name: Mapped[str] = mapped_column(String(200))
    digest: Mapped[str] = mapped_column(String(64))
    layout: Mapped[str] = mapped_column(String(64), default="")
    read_as: Mapped[str] = mapped_column(String(120))
    headers: Mapped[list[Any]]
    rows: Mapped[list[Any]]
    columns: Mapped[dict[str, Any]]
    faults: Mapped[list[Any]] = mapped_column(default=list)
    made: Mapped[int] = mapped_column(default=0)
    already: Mapped[int] = mapped_column(default=0)
    state: Mapped[str] = mapped_column(String(20), default="mapping")
    options: Mapped[dict[str, Any]] = mapped_column(default=dict)
    corrected: Mapped[dict[str, Any]] = mapped_column(default=dict)
    total: Mapped[int] = mapped_column(default=0)
    progress: Mapped[int] = mapped_column(default=0)
    changed: Mapped[int] = mapped_column(default=0)
    reading: Mapped[dict[str, Any]] = mapped_column(default=dict)
    data: Mapped[bytes] = mapped_column(LargeBinary, default=b"", deferred=True)
    person_id: Mapped[int] = reference("person.id")
    channel_id: Mapped[int | None] = mapped_column(ForeignKey("channel.id"), index=True)
    feed_id: Mapped[int | None] = mapped_column(ForeignKey("feed.id", ondelete="SET NULL"))
    created_at: Mapped[Created]


class Feed(Base):
    """A place where files of orders are fetched: an address, a folder, a folder by SFTP; each of its own channel."""

    __tablename__ = "feed"
    __table_args__ = (
        CheckConstraint("kind in ('http', 'folder', 'sftp')", name="kind"),
        CheckConstraint("every_minutes between 1 and 1440", name="every"),
    )
    id: Mapped[Id]
    channel_id: Mapped[int] = reference("channel.id")
    person_id: Mapped[int] = reference("person.id")
    kind: Mapped[str] = mapped_column(String(20))
    address: Mapped[str] = mapped_column(String(300))
    header: Mapped[str] = mapped_column(String(60), default="Authorization")
    secret_sealed: Mapped[str] = mapped_column(String(10_000), default="")
    host_key: Mapped[str] = mapped_column(String(2_000), default="")
    mapping: Mapped[dict[str, Any]] = mapped_column(default=dict)
    weight_unit: Mapped[str] = mapped_column(String(4), default="g")
    every_minutes: Mapped[int] = mapped_column(default=10)
    active: Mapped[bool] = mapped_column(default=True)
    looked_at: Mapped[datetime | None]
    fetched_at: Mapped[datetime | None]
    failure: Mapped[str] = mapped_column(String(300), default="")
    created_at: Mapped[Created]
    channel: Mapped[Channel] = relationship()


_GONE = "state in ('shipped', 'part_shipped')"


BY_DEPARTURE = (
    "(\ncase\nwhen price_minor is null then ''\nelse (((lpad((ship_date - '2000-01-01'::date)::text, 6, '0') || ' ')"
    " || coalesce(carrier, '')) || ' ') || coalesce(network, '')\nend)"
)
"""By what orders are sorted: first what needs a decision, then by the departure each can catch.

Only with these very words does PostgreSQL read the index of them, with brackets and lines as it writes them
itself, or the comparison with the tables finds another index; a date as text would depend on the session.
"""


class Order(Base):
    """What a buyer bought, where it goes, and how it will be sent."""

    __tablename__ = "customer_order"
    __table_args__ = (
        # The number leads, so that an order is found by it without statistics, and by a number alone.
        UniqueConstraint("number", "channel_id"),
        CheckConstraint(f"state in {sql_list(OrderState)}", name="state"),
        CheckConstraint(f"(state, state_by) in {_STANDINGS}", name="standing"),
        Index("ix_customer_order_waiting", "state", "id", postgresql_where=text("state = 'open'")),
        CheckConstraint("payment in ('paid', 'pay_on_delivery', 'unpaid')", name="payment"),
        Index("ix_customer_order_search", "search", postgresql_using="gin", postgresql_ops={"search": "gin_trgm_ops"}),
        Index("ix_customer_order_import_id", "import_id", postgresql_where=text("import_id is not null")),
        Index("ix_customer_order_part_of", "part_of", postgresql_where=text("part_of is not null")),
        Index("ix_customer_order_joined_to", "joined_to", postgresql_where=text("joined_to is not null")),
        Index("ix_customer_order_shipped", "newest_shipment_id", "id", postgresql_where=text(_GONE)),
        Index(
            "ix_customer_order_departing",
            "carrier",
            "network",
            "ship_date",
            "id",
            postgresql_where=text("state = 'open'"),
            postgresql_include=["price_minor"],
        ),
        Index("ix_customer_order_departs", text(BY_DEPARTURE), "id", postgresql_where=text("state = 'open'")),
        Index("ix_customer_order_view", "state", "snag_level"),
        Index("ix_customer_order_recipient_key", "recipient_key"),
        Index("ix_customer_order_good_until", "good_until", postgresql_where=text("good_until is not null")),
        Index("ix_customer_order_offer", "offer", postgresql_where=text("offer <> ''")),
        Index("ix_customer_order_batch_id", "batch_id", postgresql_where=text("batch_id is not null")),
    )
    id: Mapped[Id]
    channel_id: Mapped[int] = reference("channel.id", index=False)
    number: Mapped[str] = mapped_column(String(60))
    state: Mapped[str] = mapped_column(String(20), default="open")
    state_why: Mapped[str] = mapped_column(String(200), default="")
    ordered_at: Mapped[datetime]
    imported: Mapped[dict[str, Any]]
    address: Mapped[Address] = mapped_column(ADDRESS)
    home: Mapped[bool] = mapped_column(default=True)
    promise: Mapped[str] = mapped_column(String(120), default="")
    promise_date: Mapped[date | None]
    offer: Mapped[str] = mapped_column(String(120), default="")
    paid_shipping_minor: Mapped[int] = mapped_column(default=0)
    currency: Mapped[str] = mapped_column(String(3), default="")
    note: Mapped[str] = mapped_column(String(500), default="")
    fingerprint: Mapped[str] = mapped_column(String(64), default="")
    import_id: Mapped[int | None] = mapped_column(default=None)
    state_by: Mapped[str] = mapped_column(String(10), default="")
    payment: Mapped[str] = mapped_column(String(20), default="paid")
    billing_name: Mapped[str] = mapped_column(String(120), default="")
    reference: Mapped[str] = mapped_column(String(60), default="")
    tags: Mapped[list[Any]] = mapped_column(default=list)
    plan_tags: Mapped[list[Any]] = mapped_column(default=list)
    desk: Mapped[str] = mapped_column(String(60), default="")
    comment: Mapped[str] = mapped_column(String(500), default="")
    also_tell: Mapped[list[Any]] = mapped_column(default=list)
    own_line: Mapped[str] = mapped_column(String(300), default="")
    cleared: Mapped[list[Any]] = mapped_column(default=list)
    basket: Mapped[str] = mapped_column(String(64), default="")
    destination: Mapped[str] = mapped_column(String(20), default="")
    search: Mapped[str] = mapped_column(Text, default="")
    recipient_key: Mapped[str] = mapped_column(String(64), default="")
    snag_level: Mapped[str] = mapped_column(String(10), default="")
    promise_linked: Mapped[bool] = mapped_column(default=True)
    joined_to: Mapped[int | None] = mapped_column(BigInteger, default=None)
    part_of: Mapped[int | None] = mapped_column(BigInteger, default=None)
    hand: Mapped[Hand] = mapped_column(HAND, default=Hand())
    plan: Mapped[StoredPlan] = mapped_column(PLAN, default=StoredPlan())
    plan_version: Mapped[int] = mapped_column(default=0)
    carrier: Mapped[str | None] = mapped_column(String(30))
    service: Mapped[str | None] = mapped_column(String(30))
    network: Mapped[str | None] = mapped_column(String(30))
    price_minor: Mapped[int | None]
    ship_date: Mapped[date | None]
    arrives: Mapped[date | None]
    parcel_count: Mapped[int] = mapped_column(default=0)
    planned_at: Mapped[datetime | None]
    created_at: Mapped[Created]
    batch_id: Mapped[int | None] = mapped_column(BigInteger, ForeignKey("batch.id"))
    sender: Mapped[Address] = mapped_column(ADDRESS, default=NO_ADDRESS)
    rule_facts: Mapped[dict[str, Any]] = mapped_column(default=dict)
    good_until: Mapped[datetime | None]
    newest_shipment_id: Mapped[int] = mapped_column(BigInteger, default=0)
    lines: Mapped[list[OrderLine]] = relationship(
        order_by="OrderLine.position", cascade="all, delete-orphan", lazy="selectin"
    )
    snags: Mapped[list[SnagRow]] = relationship(cascade="all, delete-orphan", lazy="selectin", order_by="SnagRow.id")
    channel: Mapped[Channel] = relationship(lazy="joined", innerjoin=True)


class OrderLine(Base):
    """One line of an order; the product's facts are looked up by SKU."""

    __tablename__ = "order_line"
    __table_args__ = (
        CheckConstraint("quantity > 0", name="quantity"),
        CheckConstraint("sent between 0 and quantity", name="sent"),
        UniqueConstraint("order_id", "position"),
    )
    id: Mapped[Id]
    order_id: Mapped[int] = reference("customer_order.id", cascade=True)
    position: Mapped[int]
    sku: Mapped[str] = mapped_column(String(60), index=True)
    name: Mapped[str] = mapped_column(String(200))
    quantity: Mapped[int]
    sent: Mapped[int] = mapped_column(default=0)
    unit_price_minor: Mapped[int] = mapped_column(default=0)
    weight_g: Mapped[int | None]


class SnagRow(Base):
    """A snag found by the last planning."""

    __tablename__ = "snag"
    __table_args__ = (CheckConstraint("level in ('stops', 'warns')", name="level"), Index("ix_snag_code", "code"))
    id: Mapped[Id]
    order_id: Mapped[int] = reference("customer_order.id", cascade=True)
    code: Mapped[str] = mapped_column(String(40))
    level: Mapped[str] = mapped_column(String(10))
    words: Mapped[str] = mapped_column(String(500))
    fix: Mapped[str] = mapped_column(String(30))
    about: Mapped[str] = mapped_column(String(120), default="")
