"""Carriers, the accounts with them, and their dated rate cards."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from tidewind.core.numbering import NumberRange, RangeKind
from tidewind.db.base import Base, Created, Id, reference


class CarrierRow(Base):
    """A carrier: how it is reached, and what its labels and prices are like.

    One of kind ``list`` is not reached at all: its labels are the shop's own, with numbers from ranges that it gave.
    ``states`` translates its tracking codes, ``can`` is what it says that it does (empty: it has not said); what was
    removed stays for the sake of its history.  ``subscribed``: the address at which it tells us events by itself.
    """

    __tablename__ = "carrier"
    __table_args__ = (CheckConstraint("kind in ('list', 'protocol')", name="kind"),)
    id: Mapped[Id]
    code: Mapped[str] = mapped_column(String(30), unique=True)
    name: Mapped[str] = mapped_column(String(80))
    monogram: Mapped[str] = mapped_column(String(2))
    kind: Mapped[str] = mapped_column(String(20), default="protocol")
    base_url: Mapped[str] = mapped_column(String(200))
    key_sealed: Mapped[str] = mapped_column(String(1000), default="")
    states: Mapped[dict[str, Any]] = mapped_column(default=dict)
    can: Mapped[list[Any]] = mapped_column(default=list)
    removed_at: Mapped[datetime | None]
    subscribed: Mapped[str] = mapped_column(String(300), default="")
    claim_days: Mapped[int | None]
    active: Mapped[bool] = mapped_column(default=True)
    latin_only: Mapped[bool] = mapped_column(default=False)
    asks_prices: Mapped[bool] = mapped_column(default=False)
    accounts: Mapped[list[CarrierAccount]] = relationship(order_by="CarrierAccount.id", lazy="selectin")

    def account(self, number: str) -> CarrierAccount | None:
        """Return the account with this number, else the first."""
        return next((a for a in self.accounts if a.number == number), self.accounts[0] if self.accounts else None)


class CarrierAccount(Base):
    """A contract of the shop with a carrier: what it takes off (basis points), what is not used on it, who pays."""

    __tablename__ = "carrier_account"
    __table_args__ = (
        UniqueConstraint("carrier_id", "number"),
        CheckConstraint("payer in ('balance', 'account')", name="payer"),
    )
    id: Mapped[Id]
    carrier_id: Mapped[int] = reference("carrier.id", cascade=True)
    number: Mapped[str] = mapped_column(String(40))
    name: Mapped[str] = mapped_column(String(80), default="")
    discounts_bp: Mapped[dict[str, Any]] = mapped_column(default=dict)
    services_off: Mapped[list[Any]] = mapped_column(default=list)
    payer: Mapped[str] = mapped_column(String(20), default="balance")
    active: Mapped[bool] = mapped_column(default=True)


class RateCardRow(Base):
    """One version of a carrier's prices in its written form."""

    __tablename__ = "rate_card"
    __table_args__ = (UniqueConstraint("carrier_id", "valid_from"),)
    id: Mapped[Id]
    carrier_id: Mapped[int] = reference("carrier.id")
    valid_from: Mapped[date]
    valid_until: Mapped[date | None]
    shortened: Mapped[bool] = mapped_column(default=False)
    body: Mapped[dict[str, Any]]
    source: Mapped[str] = mapped_column(String(200), default="")
    created_at: Mapped[Created]


class NumberRangeRow(Base):
    """Numbers that a carrier gave for labels of our own; ``next`` is the serial to be drawn, after ``last`` none is."""

    __tablename__ = "number_range"
    __table_args__ = (
        CheckConstraint("kind in ('s10', 'sscc', 'counter')", name="kind"),
        CheckConstraint("first >= 0 and first <= last and next between first and last + 1", name="serials"),
    )
    id: Mapped[Id]
    carrier_id: Mapped[int] = reference("carrier.id")
    kind: Mapped[str] = mapped_column(String(20))
    prefix: Mapped[str] = mapped_column(String(20), default="")
    country: Mapped[str] = mapped_column(String(2), default="")
    digits: Mapped[int] = mapped_column(default=8)
    check_digit: Mapped[bool] = mapped_column(default=False)
    first: Mapped[int] = mapped_column(BigInteger)
    last: Mapped[int] = mapped_column(BigInteger)
    next: Mapped[int] = mapped_column(BigInteger)
    warn_at: Mapped[int] = mapped_column(default=100)
    created_at: Mapped[Created]

    def to_core(self) -> NumberRange:
        """Return the range as numbers are drawn from it."""
        return NumberRange(
            RangeKind(self.kind), self.prefix, self.first, self.last, self.country, self.digits, self.check_digit
        )


class OwnSale(Base):
    """What was drawn under a key for labels of our own: asked again, the key gives the same numbers."""

    __tablename__ = "own_sale"
    id: Mapped[Id]
    carrier_id: Mapped[int] = reference("carrier.id")
    key: Mapped[str] = mapped_column(String(60), unique=True)
    numbers: Mapped[list[Any]]
    price_minor: Mapped[int]
    cancelled: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[Created]


class LiveAnswerRow(Base):
    """What a carrier answered when it was asked for prices; the newest answer to the same question stands."""

    __tablename__ = "live_answer"
    __table_args__ = (UniqueConstraint("carrier", "key"),)
    id: Mapped[Id]
    carrier: Mapped[str] = mapped_column(String(30))
    key: Mapped[str] = mapped_column(String(64))
    asked_at: Mapped[datetime] = mapped_column(index=True)
    expires_at: Mapped[datetime]
    prices: Mapped[dict[str, Any]] = mapped_column(default=dict)
    refusals: Mapped[dict[str, Any]] = mapped_column(default=dict)
    failure: Mapped[str] = mapped_column(String(300), default="")
