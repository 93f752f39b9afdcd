"""Carrier accounts and their dated rate cards."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from tidewind.db.base import Base, Created, Id, reference


class CarrierAccount(Base):
    """The shop's contract with a carrier: where to reach it, and what it takes off per service (basis points)."""

    __tablename__ = "carrier_account"
    id: Mapped[Id]
    code: Mapped[str] = mapped_column(String(30), unique=True)
    name: Mapped[str] = mapped_column(String(80))
    monogram: Mapped[str] = mapped_column(String(2))
    account_number: Mapped[str] = mapped_column(String(40))
    base_url: Mapped[str] = mapped_column(String(200))
    discounts_bp: Mapped[dict[str, Any]] = mapped_column(default=dict)
    active: Mapped[bool] = mapped_column(default=True)
    latin_only: Mapped[bool] = mapped_column(default=False)
    asks_prices: Mapped[bool] = mapped_column(default=False)
    services_off: Mapped[list[Any]] = mapped_column(default=list)
    payer: Mapped[str] = mapped_column(String(20), default="balance")


class RateCardRow(Base):
    """One version of a carrier's prices in its written form."""

    __tablename__ = "rate_card"
    __table_args__ = (UniqueConstraint("account_id", "valid_from"),)
    id: Mapped[Id]
    account_id: Mapped[int] = reference("carrier_account.id")
    valid_from: Mapped[date]
    valid_until: Mapped[date | None]
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
