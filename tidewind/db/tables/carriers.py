"""Carriers, the accounts with them, and their dated rate cards."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import CheckConstraint, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from tidewind.db.base import Base, Created, Id, reference


class CarrierRow(Base):
    """A carrier: where to reach it, and what its labels and prices are like."""

    __tablename__ = "carrier"
    id: Mapped[Id]
    code: Mapped[str] = mapped_column(String(30), unique=True)
    name: Mapped[str] = mapped_column(String(80))
    monogram: Mapped[str] = mapped_column(String(2))
    base_url: Mapped[str] = mapped_column(String(200))
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
