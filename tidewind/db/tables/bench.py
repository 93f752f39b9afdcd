"""The packing bench: who packs where, what was scanned, what the scale said, and the pictures taken."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Index, LargeBinary, String, false, text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from tidewind.core.states.machine import sql_list
from tidewind.core.states.packings import PackingState
from tidewind.db.base import Base, Created, Id, reference
from tidewind.db.tables.orders import Order


class Bench(Base):
    """A place where parcels are packed: who packs there now, the packing on it, and what the last scan meant.

    ``last`` is what was done with the packing that left it last, which is what an undo takes back.
    """

    __tablename__ = "bench"
    id: Mapped[Id]
    name: Mapped[str] = mapped_column(String(40), unique=True)
    packer_id: Mapped[int | None] = mapped_column(BigInteger, ForeignKey("person.id"))
    packing_id: Mapped[int | None] = mapped_column(BigInteger)  # no foreign key: the two tables name each other
    said: Mapped[dict[str, Any]] = mapped_column(default=dict)
    last: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    pieces: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[Created]


class Packing(Base):
    """One order being packed, or packed: the steps of its check, its weights, who did it, and which label it got.

    ``items`` and ``facts`` are what was to be packed when it was begun, so that a scan reads one row.

    ``bought_here`` tells a label that was bought for it from one that it had; only the former is voided by an undo.
    ``mistakes`` are the scans that were stopped.  ``aside``: the parcel was laid aside while its label was awaited, and
    nobody has taken it up again since.
    """

    __tablename__ = "packing"
    __table_args__ = (
        CheckConstraint(f"state in {sql_list(PackingState)}", name="state"),
        CheckConstraint("state <> 'packed' or packed_at is not null", name="packed"),
        Index("uq_packing_holds", "order_id", unique=True, postgresql_where=text(f"state in {PackingState.HOLDS}")),
        Index("ix_packing_buying", "id", postgresql_where=text("state = 'buying'")),
        Index("ix_packing_packed_at", "packed_at"),
        Index("ix_packing_bench_id", "bench_id", "started_at"),
        Index("ix_packing_aside", "bench_id", postgresql_where=text("aside")),
    )
    id: Mapped[Id]
    order_id: Mapped[int] = reference("customer_order.id")
    bench_id: Mapped[int] = reference("bench.id", index=False)
    person_id: Mapped[int] = reference("person.id")
    shipment_id: Mapped[int | None] = mapped_column(BigInteger, ForeignKey("shipment.id"), index=True)
    state: Mapped[str] = mapped_column(String(20), default="open")
    bought_here: Mapped[bool] = mapped_column(default=False)
    prints: Mapped[bool] = mapped_column(default=True)
    aside: Mapped[bool] = mapped_column(default=False, server_default=false())
    items: Mapped[list[Any]] = mapped_column(default=list)
    facts: Mapped[dict[str, Any]] = mapped_column(default=dict)
    steps: Mapped[list[Any]] = mapped_column(default=list)
    weights_g: Mapped[list[Any]] = mapped_column(default=list)
    mistakes: Mapped[int] = mapped_column(default=0)
    words: Mapped[str] = mapped_column(String(300), default="")
    started_at: Mapped[datetime]
    packed_at: Mapped[datetime | None]
    order: Mapped[Order] = relationship()


class BenchScan(Base):
    """One scan at a bench and what it meant; ``client_key`` makes one that is sent again, since no answer came, one."""

    __tablename__ = "bench_scan"
    id: Mapped[Id]
    bench_id: Mapped[int] = reference("bench.id")
    packing_id: Mapped[int | None] = mapped_column(BigInteger, ForeignKey("packing.id"), index=True)
    person_id: Mapped[int] = reference("person.id")
    at: Mapped[datetime] = mapped_column(index=True)
    code: Mapped[str] = mapped_column(String(120))
    client_key: Mapped[str | None] = mapped_column(String(40), unique=True)
    verdict: Mapped[str] = mapped_column(String(20))


class SerialNumber(Base):
    """A piece's own number, as it was packed: found from the order, and the order from it."""

    __tablename__ = "serial_number"
    id: Mapped[Id]
    packing_id: Mapped[int] = reference("packing.id", cascade=True)
    sku: Mapped[str] = mapped_column(String(60))
    number: Mapped[str] = mapped_column(String(60), index=True)


class Photo(Base):
    """A picture of a packed parcel, without what the camera wrote into it, and a small one of it."""

    __tablename__ = "photo"
    id: Mapped[Id]
    packing_id: Mapped[int] = reference("packing.id", cascade=True)
    person_id: Mapped[int] = reference("person.id")
    at: Mapped[datetime]
    picture: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    small: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
