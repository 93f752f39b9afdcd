"""The postage balance and its ledger."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.ledger import entry
from tidewind.db.tables import LedgerAccount, LedgerEntry, LedgerLine
from tidewind.services.errors import Conflict, Invalid


@dataclass(frozen=True, slots=True)
class Balance:
    """What is there, in minor units: free to spend, held for labels being bought, refunds expected."""

    available_minor: int
    held_minor: int
    expected_minor: int

    @property
    def balance_minor(self) -> int:
        """Available and held together."""
        return self.available_minor + self.held_minor


def balance(session: Session) -> Balance:
    """Return the balance as it stands in this transaction."""
    found = {row.code: row.balance_minor for row in session.scalars(select(LedgerAccount))}
    return Balance(found["available"], found["held"], found["expected"])


def lock_available(session: Session) -> int:
    """Lock the balance for this transaction and return what is available, in minor units."""
    row = session.scalar(
        select(LedgerAccount)
        .where(LedgerAccount.code == "available")
        .with_for_update()
        .execution_options(populate_existing=True)
    )
    if row is None:
        raise Conflict("no_ledger", "The ledger has no accounts; the database was not migrated.")
    return row.balance_minor


def post(
    session: Session, kind: str, amount: int, *, key: str, reason: str, at: datetime, shipment_id: int | None = None
) -> None:
    """Write one balanced entry; the database refuses a second one with the same key and any that does not balance."""
    movement = entry(kind, amount)
    row = LedgerEntry(key=key, at=at, kind=kind, reason=reason[:200], shipment_id=shipment_id)
    row.lines = [LedgerLine(account=account, amount_minor=part) for account, part in movement.postings]
    session.add(row)
    session.flush()


def top_up(session: Session, amount: int, key: str, who: str, at: datetime) -> None:
    """Put money onto the balance (a stand-in for a payment); the same key twice is taken once."""
    if not 100 <= amount <= 1_000_000:
        raise Invalid("top_up_amount", "A top-up is between 1.00 and 10,000.00.")
    if session.scalar(select(LedgerEntry).where(LedgerEntry.key == f"top_up:{key}")) is None:
        post(session, "top_up", amount, key=f"top_up:{key}", reason=f"Top-up by {who}", at=at)


def entries(session: Session, before: int | None, limit: int = 100) -> list[LedgerEntry]:
    """Return ledger entries, newest first, older than the entry ``before``."""
    query = select(LedgerEntry).order_by(LedgerEntry.id.desc()).limit(limit)
    if before is not None:
        query = query.where(LedgerEntry.id < before)
    return list(session.scalars(query))
