"""Handovers: departures, the pickups that fetch them, the manifests that go with them."""

from __future__ import annotations

from datetime import date, datetime, time
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Index, String, Text, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from tidewind.core.addresses.check import Address
from tidewind.core.pickups.points import DropOffPoint, Kind
from tidewind.core.states.departures import DepartureState
from tidewind.core.states.machine import sql_list
from tidewind.core.states.pickups import PickupState
from tidewind.db.base import Base, Created, Id, reference
from tidewind.db.stored import ADDRESS


class DropOffPointRow(Base):
    """A shop, locker or counter of a carrier that takes parcels in, out of a file or told by the carrier.

    Latitude and longitude in millionths of a degree; grams and millimetres, 0 for no limit.
    """

    __tablename__ = "drop_off_point"
    __table_args__ = (
        UniqueConstraint("carrier", "code"),
        CheckConstraint("(latitude_e6 is null) = (longitude_e6 is null)", name="spot"),
    )
    id: Mapped[Id]
    carrier: Mapped[str] = mapped_column(String(30))
    code: Mapped[str] = mapped_column(String(40))
    name: Mapped[str] = mapped_column(String(120))
    kind: Mapped[Kind] = mapped_column(String(20))
    street: Mapped[str] = mapped_column(String(120))
    postcode: Mapped[str] = mapped_column(String(20))
    city: Mapped[str] = mapped_column(String(80))
    country: Mapped[str] = mapped_column(String(2))
    latitude_e6: Mapped[int | None]
    longitude_e6: Mapped[int | None]
    hours: Mapped[str] = mapped_column(String(300))
    heaviest_g: Mapped[int]
    longest_mm: Mapped[int]
    full: Mapped[bool]
    learned_from: Mapped[str] = mapped_column(String(80))
    learned_at: Mapped[datetime]

    @property
    def point(self) -> DropOffPoint:
        """The row as the core knows it."""
        spot = None
        if self.latitude_e6 is not None and self.longitude_e6 is not None:
            spot = (self.latitude_e6, self.longitude_e6)
        named = {n: getattr(self, n) for n in DropOffPoint.__dataclass_fields__ if n != "spot"}
        return DropOffPoint(**named, spot=spot)


class Departure(Base):
    """One handover: carrier, place, day and network; labels belong to one.

    ``brought``: nobody fetches it, we take it there, to ``point_id`` where one is chosen.  ``signature`` is what was
    drawn on the screen, as the path of an SVG; ``driver`` who took it along, ``handed_over_by`` who of ours gave it.
    ``recount`` says who has its count opened again after it went, and why; it keeps when it was handed over.
    """

    __tablename__ = "departure"
    __table_args__ = (
        UniqueConstraint("carrier", "place_id", "day", "network"),
        CheckConstraint(f"state in {sql_list(DepartureState)}", name="state"),
        CheckConstraint("state <> 'handed_over' or handed_over_at is not null", name="handed_over"),
    )
    id: Mapped[Id]
    carrier: Mapped[str] = mapped_column(String(30))
    network: Mapped[str] = mapped_column(String(30))
    place_id: Mapped[int] = reference("place.id")
    day: Mapped[date] = mapped_column(index=True)
    cutoff_at: Mapped[datetime]
    state: Mapped[str] = mapped_column(String(20), default="open")
    brought: Mapped[bool] = mapped_column(default=False)
    point_id: Mapped[int | None] = mapped_column(
        BigInteger, ForeignKey("drop_off_point.id", ondelete="SET NULL"), index=True
    )
    handed_over_at: Mapped[datetime | None]
    handed_over_by: Mapped[str] = mapped_column(String(120), default="")
    driver: Mapped[str] = mapped_column(String(120), default="")
    signature: Mapped[str] = mapped_column(Text, default="")
    recount: Mapped[str] = mapped_column(String(300), default="", server_default="")


class Pickup(Base):
    """A van that was asked for: what it is to fetch, where and when, and what its carrier said.

    Written before the carrier is asked, with its key.  ``replaces_id`` is the booked one in whose stead it is asked
    for.  Times of day are on the carrier's clock; the fee is in minor units of the shop's currency, without tax.  One
    that was missed is settled once somebody has written what the carrier answered.
    """

    __tablename__ = "pickup"
    __table_args__ = (
        CheckConstraint(f"state in {sql_list(PickupState)}", name="state"),
        CheckConstraint("fee_minor >= 0 and parcels >= 0 and gross_g >= 0", name="figures"),
        CheckConstraint("payer in ('balance', 'account')", name="payer"),
        Index("uq_pickup_asked", "departure_id", unique=True, postgresql_where=text("state = 'asked'")),
        Index(
            "uq_pickup_booked",
            "departure_id",
            unique=True,
            postgresql_where=text(f"state in {PickupState.AT_THE_CARRIER}"),
        ),
        Index("ix_pickup_open_missed", "id", postgresql_where=text("state = 'missed' and settled_at is null")),
        Index("ix_pickup_due", "next_try_at", postgresql_where=text(f"state in {PickupState.STANDS}")),
    )
    id: Mapped[Id]
    departure_id: Mapped[int] = reference("departure.id")
    replaces_id: Mapped[int | None] = mapped_column(BigInteger, ForeignKey("pickup.id"))
    idempotency_key: Mapped[str] = mapped_column(String(60), unique=True)
    state: Mapped[str] = mapped_column(String(20), default="asked")
    start: Mapped[time]
    until: Mapped[time]
    begins_at: Mapped[datetime]
    ends_at: Mapped[datetime]
    change_until: Mapped[datetime]
    parcels: Mapped[int]
    classes: Mapped[dict[str, Any]] = mapped_column(default=dict)
    gross_g: Mapped[int]
    heaviest_g: Mapped[int] = mapped_column(default=0)
    longest_mm: Mapped[int] = mapped_column(default=0)
    address: Mapped[Address] = mapped_column(ADDRESS)
    spot: Mapped[str] = mapped_column(String(120), default="")
    note: Mapped[str] = mapped_column(String(300), default="")
    contact: Mapped[str] = mapped_column(String(120), default="")
    phone: Mapped[str] = mapped_column(String(40), default="")
    manifest: Mapped[str] = mapped_column(String(40), default="")
    fee_minor: Mapped[int] = mapped_column(default=0)
    payer: Mapped[str] = mapped_column(String(20), default="balance")
    account: Mapped[str] = mapped_column(String(40), default="")
    confirmation: Mapped[str] = mapped_column(String(60), default="")
    words: Mapped[str] = mapped_column(String(300), default="")
    asked_by: Mapped[str] = mapped_column(String(120))
    asked_at: Mapped[datetime] = mapped_column(index=True)
    cancelled_by: Mapped[str] = mapped_column(String(120), default="")
    settled_at: Mapped[datetime | None]
    attempts: Mapped[int] = mapped_column(default=0)
    next_try_at: Mapped[datetime | None]
    answer: Mapped[str] = mapped_column(String(300), default="")
    chased_at: Mapped[datetime | None]
    chased_by: Mapped[str] = mapped_column(String(120), default="")
    calendar_key: Mapped[str] = mapped_column(String(43), unique=True)
    departure: Mapped[Departure] = relationship(lazy="joined", innerjoin=True)


class StandingPickup(Base):
    """A van that is asked for by itself on some days of the week, until it is paused; holidays are left out.

    ``refusal`` is why it has not been asked for yet for the day ``refused_for``.
    """

    __tablename__ = "standing_pickup"
    __table_args__ = (UniqueConstraint("carrier", "network"),)
    id: Mapped[Id]
    carrier: Mapped[str] = mapped_column(String(30))
    network: Mapped[str] = mapped_column(String(30))
    weekdays: Mapped[list[Any]] = mapped_column(default=list)
    start: Mapped[time | None]
    until: Mapped[time | None]
    paused: Mapped[bool] = mapped_column(default=False)
    asked_for: Mapped[date | None]
    refusal: Mapped[str] = mapped_column(String(300), default="", server_default="")
    refused_for: Mapped[date | None]
    created_by: Mapped[str] = mapped_column(String(120))
    created_at: Mapped[Created]


class Manifest(Base):
    """The closed list of a departure's parcels: what is on it never changes; reopened, it is worth nothing any more.

    ``lines`` keep number, order, service, grams and town of each label as they were.  ``told``: where the carrier wants
    it, whether it has it.
    """

    __tablename__ = "manifest"
    __table_args__ = (
        CheckConstraint("told in ('unasked', 'asked', 'told', 'refused')", name="told"),
        Index("uq_manifest_standing", "departure_id", unique=True, postgresql_where=text("reopened_at is null")),
        Index("ix_manifest_due", "next_try_at", postgresql_where=text("told = 'asked'")),
    )
    id: Mapped[Id]
    departure_id: Mapped[int] = reference("departure.id")
    number: Mapped[str] = mapped_column(String(40), unique=True)
    idempotency_key: Mapped[str] = mapped_column(String(60), unique=True)
    lines: Mapped[list[Any]]
    gross_g: Mapped[int]
    closed_by: Mapped[str] = mapped_column(String(120))
    closed_at: Mapped[datetime]
    reopened_by: Mapped[str] = mapped_column(String(120), default="")
    reopened_at: Mapped[datetime | None]
    told: Mapped[str] = mapped_column(String(20), default="unasked")
    words: Mapped[str] = mapped_column(String(300), default="")
    attempts: Mapped[int] = mapped_column(default=0)
    next_try_at: Mapped[datetime | None]
    departure: Mapped[Departure] = relationship(lazy="joined", innerjoin=True)
