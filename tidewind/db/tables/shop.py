"""The shop's own things: settings, places, packaging, products, contacts, screening."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import CheckConstraint, Index, LargeBinary, String, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column

from tidewind.core.addresses.check import Address
from tidewind.core.packing import Packaging
from tidewind.core.pickups.points import Spot
from tidewind.core.quantities import Size
from tidewind.core.states.machine import sql_list
from tidewind.core.states.reorders import ReorderState
from tidewind.db.base import Base, Created, Id, reference
from tidewind.db.stored import ADDRESS


class RestrictedParty(Base):
    """One entry of a list of restricted parties."""

    __tablename__ = "restricted_party"
    __table_args__ = (UniqueConstraint("source", "key"),)
    id: Mapped[Id]
    source: Mapped[str] = mapped_column(String(80))
    key: Mapped[str] = mapped_column(String(60))
    names: Mapped[list[Any]]
    country: Mapped[str] = mapped_column(String(2), default="")
    addresses: Mapped[list[Any]] = mapped_column(default=list)


class Clearance(Base):
    """Who cleared an order of a near match, and why; never changed."""

    __tablename__ = "clearance"
    id: Mapped[Id]
    order_id: Mapped[int] = reference("customer_order.id", cascade=True)
    party: Mapped[str] = mapped_column(String(60))
    words: Mapped[str] = mapped_column(String(500))
    reason: Mapped[str] = mapped_column(String(500))
    person_id: Mapped[int] = reference("person.id")
    at: Mapped[datetime]


class Contact(Base):
    """Somebody in the address book, found by name, company or a short code."""

    __tablename__ = "contact"
    __table_args__ = (
        Index("ix_contact_search", "search", postgresql_using="gin", postgresql_ops={"search": "gin_trgm_ops"}),
    )
    id: Mapped[Id]
    code: Mapped[str | None] = mapped_column(String(30), unique=True)
    address: Mapped[Address] = mapped_column(ADDRESS)
    home: Mapped[bool] = mapped_column(default=True)
    search: Mapped[str] = mapped_column(String(600), default="")


class Shop(Base):
    """One row of settings."""

    __tablename__ = "shop"
    __table_args__ = (CheckConstraint("id = 1", name="one_row"),)
    id: Mapped[int] = mapped_column(primary_key=True, default=1)
    name: Mapped[str] = mapped_column(String(120))
    brand: Mapped[str] = mapped_column(String(120))
    time_zone: Mapped[str] = mapped_column(String(60))
    currency: Mapped[str] = mapped_column(String(3))
    units: Mapped[str] = mapped_column(String(10), default="metric")
    policy: Mapped[str] = mapped_column(String(30), default="cheapest")
    day_value_minor: Mapped[int] = mapped_column(default=40)
    late_value_minor: Mapped[int] = mapped_column(default=250)
    price_tolerance_minor: Mapped[int] = mapped_column(default=0)
    mail_from: Mapped[str] = mapped_column(String(200), default="")
    group_services: Mapped[dict[str, Any]] = mapped_column(default=dict)
    packaging_by_weight: Mapped[bool] = mapped_column(default=False)
    use_precedents: Mapped[bool] = mapped_column(default=True)
    desks: Mapped[list[Any]] = mapped_column(default=list)
    ranking: Mapped[list[Any]] = mapped_column(default=list)
    approve_over_minor: Mapped[int | None]
    approve_services: Mapped[list[Any]] = mapped_column(default=list)
    low_balance_minor: Mapped[int] = mapped_column(default=5_000)
    cover: Mapped[dict[str, Any]] = mapped_column(default=dict)
    slip: Mapped[dict[str, Any]] = mapped_column(default=dict)
    logo: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    planned_on: Mapped[date | None]
    mail_server: Mapped[dict[str, Any]] = mapped_column(default=dict)
    mail_signing: Mapped[dict[str, Any]] = mapped_column(default=dict)
    sms_gateway: Mapped[dict[str, Any]] = mapped_column(default=dict)
    closed: Mapped[list[Any]] = mapped_column(default=list)
    bench: Mapped[dict[str, Any]] = mapped_column(default=dict)
    return_rules: Mapped[dict[str, Any]] = mapped_column(default=dict)
    customs_numbers: Mapped[dict[str, Any]] = mapped_column(default=dict)
    calendar_key: Mapped[str] = mapped_column(String(43), default="")

    def day_of(self, moment: datetime) -> date:
        """Return the day on which a moment (aware) lies here, by the clock on the shop's own wall."""
        return moment.astimezone(ZoneInfo(self.time_zone)).date()


class Place(Base):
    """An address that parcels leave from; where it lies on earth in millionths of a degree, if somebody has said it."""

    __tablename__ = "place"
    __table_args__ = (Index("uq_place_default", "is_default", unique=True, postgresql_where=text("is_default")),)
    id: Mapped[Id]
    name: Mapped[str] = mapped_column(String(120), unique=True)
    address: Mapped[Address] = mapped_column(ADDRESS)
    pickup_spot: Mapped[str] = mapped_column(String(200), default="")
    opening_hours: Mapped[str] = mapped_column(String(200), default="")
    latitude_e6: Mapped[int | None]
    longitude_e6: Mapped[int | None]
    is_default: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[Created]

    @property
    def on_earth(self) -> Spot | None:
        """Where it lies on earth, None where nobody has said it."""
        if self.latitude_e6 is None or self.longitude_e6 is None:
            return None
        return self.latitude_e6, self.longitude_e6


class PackagingRow(Base):
    """A box, bag, envelope or tube, own or a carrier's; sizes in mm, weights in g.

    ``stock`` is how many are left, None where nobody counts them; at ``low_at`` more are to be ordered.
    """

    __tablename__ = "packaging"
    __table_args__ = (
        CheckConstraint("least(inner_length, inner_width, inner_height) > 0", name="inner"),
        CheckConstraint("least(outer_length, outer_width, outer_height) > 0", name="outer"),
        CheckConstraint("own_g >= 0 and padding_g >= 0 and max_load_g > 0 and cost_minor >= 0", name="figures"),
    )
    id: Mapped[Id]
    code: Mapped[str] = mapped_column(String(30), unique=True)
    name: Mapped[str] = mapped_column(String(80))
    inner_length: Mapped[int]
    inner_width: Mapped[int]
    inner_height: Mapped[int]
    outer_length: Mapped[int]
    outer_width: Mapped[int]
    outer_height: Mapped[int]
    own_g: Mapped[int]
    padding_g: Mapped[int] = mapped_column(default=0)
    max_load_g: Mapped[int]
    cost_minor: Mapped[int] = mapped_column(default=0)
    carrier: Mapped[str | None] = mapped_column(String(30))
    active: Mapped[bool] = mapped_column(default=True)
    holds_from_g: Mapped[int | None]
    holds_to_g: Mapped[int | None]
    stock: Mapped[int | None]
    low_at: Mapped[int] = mapped_column(default=0)

    def to_core(self) -> Packaging:
        """Return what packing needs to know."""
        return Packaging(
            code=self.code,
            name=self.name,
            inner=(self.inner_length, self.inner_width, self.inner_height),
            outer=Size.of(self.outer_length, self.outer_width, self.outer_height),
            own_g=self.own_g,
            padding_g=self.padding_g,
            max_load_g=self.max_load_g,
            cost=self.cost_minor,
            carrier=self.carrier,
            holds_g=(self.holds_from_g or 0, self.holds_to_g) if self.holds_to_g else None,
        )


class Product(Base):
    """An article of the catalogue; weight and sides are null until somebody says them.

    ``serial``: each piece has a number of its own, which is kept when it is packed.  ``parts`` are the SKUs that a set
    is made of, one for each piece.  ``stock_base`` is what ``core.stock`` keeps of the last count, null where none was.
    """

    __tablename__ = "product"
    __table_args__ = (
        CheckConstraint("weight_g > 0", name="weight"),
        Index("ix_product_barcode", "barcode", postgresql_where=text("barcode <> ''")),
    )
    id: Mapped[Id]
    sku: Mapped[str] = mapped_column(String(60), unique=True)
    name: Mapped[str] = mapped_column(String(200))
    barcode: Mapped[str] = mapped_column(String(40), default="")
    weight_g: Mapped[int | None]
    length_mm: Mapped[int | None]
    width_mm: Mapped[int | None]
    height_mm: Mapped[int | None]
    value_minor: Mapped[int] = mapped_column(default=0)
    customs_text: Mapped[str] = mapped_column(String(200), default="")
    hs_code: Mapped[str] = mapped_column(String(12), default="")
    origin: Mapped[str] = mapped_column(String(2), default="")
    shelf: Mapped[str] = mapped_column(String(20), default="")
    own_box: Mapped[bool] = mapped_column(default=False)
    upright: Mapped[bool] = mapped_column(default=False)
    no_weekend: Mapped[bool] = mapped_column(default=False)
    not_stackable: Mapped[bool] = mapped_column(default=False)
    contents: Mapped[list[Any]] = mapped_column(default=list)
    tags: Mapped[list[Any]] = mapped_column(default=list)
    material: Mapped[str] = mapped_column(String(120), default="")
    used_for: Mapped[str] = mapped_column(String(120), default="")
    recipe: Mapped[str] = mapped_column(String(40), default="")
    serial: Mapped[bool] = mapped_column(default=False)
    parts: Mapped[list[Any]] = mapped_column(default=list)
    stock_base: Mapped[int | None] = mapped_column(default=None)
    stock_counted_at: Mapped[datetime | None]
    learned_from: Mapped[str] = mapped_column(String(60), default="")

    @property
    def sides(self) -> tuple[int, int, int] | None:
        """Length, width and height in mm, or None while one is missing."""
        if self.length_mm and self.width_mm and self.height_mm:
            return self.length_mm, self.width_mm, self.height_mm
        return None


class PackagingOrder(Base):
    """Packaging of a carrier's own that was ordered from it: how many pieces by code, and when it comes."""

    __tablename__ = "packaging_order"
    __table_args__ = (CheckConstraint(f"state in {sql_list(ReorderState)}", name="state"),)
    id: Mapped[Id]
    carrier: Mapped[str] = mapped_column(String(30))
    idempotency_key: Mapped[str] = mapped_column(String(60), unique=True)
    state: Mapped[str] = mapped_column(String(20), default="asked")
    pieces: Mapped[dict[str, Any]]
    confirmation: Mapped[str] = mapped_column(String(60), default="")
    arrives: Mapped[date | None]
    words: Mapped[str] = mapped_column(String(300), default="")
    asked_by: Mapped[str] = mapped_column(String(120))
    asked_at: Mapped[datetime]
    attempts: Mapped[int] = mapped_column(default=0)
    next_try_at: Mapped[datetime | None]


class CustomsTablesRow(Base):
    """A version of the tables that customs is reckoned by; the newest holds, none leaves the samples that ship."""

    __tablename__ = "customs_tables"
    id: Mapped[Id]
    name: Mapped[str] = mapped_column(String(120))
    body: Mapped[dict[str, Any]]
    by: Mapped[str] = mapped_column(String(120))
    created_at: Mapped[Created]
