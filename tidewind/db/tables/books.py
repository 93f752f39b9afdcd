"""The ledger in double entry; the database itself holds that it balances and never changes."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column, relationship

from tidewind.db.base import Base, Id, reference


class LedgerAccount(Base):
    """One side of the books; ``balance_minor`` is kept by a trigger on the lines."""

    __tablename__ = "ledger_account"
    __table_args__ = (
        CheckConstraint("code not in ('available', 'held', 'expected') or balance_minor >= 0", name="in_credit"),
    )
    code: Mapped[str] = mapped_column(String(20), primary_key=True)
    balance_minor: Mapped[int] = mapped_column(BigInteger, default=0)


class LedgerEntry(Base):
    """One movement with its reason; ``key`` makes writing it twice impossible."""

    __tablename__ = "ledger_entry"
    id: Mapped[Id]
    key: Mapped[str] = mapped_column(String(80), unique=True)
    at: Mapped[datetime]
    kind: Mapped[str] = mapped_column(String(30))
    reason: Mapped[str] = mapped_column(String(200))
    shipment_id: Mapped[int | None] = mapped_column(BigInteger, ForeignKey("shipment.id"), index=True)
    pickup_id: Mapped[int | None] = mapped_column(BigInteger, ForeignKey("pickup.id"), index=True)
    lines: Mapped[list[LedgerLine]] = relationship(cascade="all", lazy="selectin")


class LedgerLine(Base):
    """One posting: an account, an amount in minor units, and what the account then held (set by the database)."""

    __tablename__ = "ledger_line"
    __table_args__ = (CheckConstraint("amount_minor <> 0", name="amount"),)
    id: Mapped[Id]
    entry_id: Mapped[int] = reference("ledger_entry.id")
    account: Mapped[str] = mapped_column(String(20), ForeignKey("ledger_account.code"), index=True)
    amount_minor: Mapped[int] = mapped_column(BigInteger)
    balance_after: Mapped[int] = mapped_column(BigInteger, default=0)
