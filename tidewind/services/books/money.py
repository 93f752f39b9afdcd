"""The postage ledger: post entries, read balances, find entries, take them out as a file."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from tidewind.core.ledger import ACCOUNTS, entry
from tidewind.db.bulk import insert_rows, take_ids
from tidewind.db.tables import LedgerAccount, LedgerEntry, LedgerLine, Order, Shipment
from tidewind.services.base import Conflict, Invalid, one_at_a_time

CHUNK = 1_000


@dataclass(frozen=True, slots=True)
class Balance:
    """What is there, in minor units: free to spend, held for labels being bought, refunds expected, owed."""

    available_minor: int
    held_minor: int
    expected_minor: int
    owed_minor: int = 0

    @property
    def balance_minor(self) -> int:
        """Available and held together."""
        return self.available_minor + self.held_minor


def balance_now(session: Session) -> Balance:
    """Return the balance as it stands in this transaction."""
    query = select(LedgerAccount.code, LedgerAccount.balance_minor)
    found = {code: minor for code, minor in session.execute(query)}  # noqa: C416 - rows
    return Balance(found["available"], found["held"], found["expected"], -found["owed"])


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


@dataclass(frozen=True, slots=True)
class Posting:
    """An entry to be written: its kind, minor units, a key that makes it unique, and what it is about."""

    kind: str
    amount: int
    key: str
    reason: str
    at: datetime
    shipment_id: int | None = None
    pickup_id: int | None = None


def post_all(session: Session, postings: Iterable[Posting]) -> None:
    """Write entries; the database refuses a second one with the same key and any that does not balance.

    Lines are written in the order of their accounts, so that two transactions never wait for each other's balances in
    a circle.
    """
    session.flush()
    wanted = list(postings)
    if not wanted:
        return
    ids = take_ids(session, LedgerEntry, len(wanted))
    insert_rows(
        session,
        LedgerEntry,
        [
            {
                "id": i,
                "key": p.key,
                "at": p.at,
                "kind": p.kind,
                "reason": p.reason[:200],
                "shipment_id": p.shipment_id,
                "pickup_id": p.pickup_id,
            }
            for i, p in zip(ids, wanted, strict=True)
        ],
    )
    insert_rows(
        session,
        LedgerLine,
        [
            {"entry_id": i, "account": account, "amount_minor": part}
            for i, p in zip(ids, wanted, strict=True)
            for account, part in sorted(entry(p.kind, p.amount).postings)
        ],
    )


def post(
    session: Session,
    kind: str,
    amount: int,
    *,
    key: str,
    reason: str,
    at: datetime,
    shipment_id: int | None = None,
    pickup_id: int | None = None,
) -> None:
    """Write one balanced entry; an amount of zero moves nothing and is not written."""
    if amount:
        post_all(session, [Posting(kind, amount, key, reason, at, shipment_id, pickup_id)])


def top_up(session: Session, amount: int, key: str, who: str, at: datetime) -> None:
    """Put money onto the balance (a stand-in for a payment); the same key twice is taken once."""
    if not 100 <= amount <= 1_000_000:
        raise Invalid("top_up_amount", "A top-up is between 1.00 and 10,000.00.")
    one_at_a_time(session, "top_up")
    _once(session, "top_up", amount, key, f"Top-up by {who}", at)


def pay_bill(session: Session, amount: int, key: str, who: str, at: datetime) -> None:
    """Note that a carrier's bill was paid; the same key twice is taken once.  Raises Invalid for more than is owed."""
    one_at_a_time(session, "bill_paid")
    owed = balance_now(session).owed_minor
    if not 0 < amount <= owed:
        raise Invalid("bill_amount", "A bill is more than nothing and at most what is owed to carriers.")
    _once(session, "bill_paid", amount, key, f"Carrier's bill paid, noted by {who}", at)


def _once(session: Session, kind: str, amount: int, key: str, reason: str, at: datetime) -> None:
    if session.scalar(select(LedgerEntry).where(LedgerEntry.key == f"{kind}:{key}")) is None:
        post(session, kind, amount, key=f"{kind}:{key}", reason=reason, at=at)


@dataclass(frozen=True, slots=True)
class EntryFilter:
    """Which entries: of some kinds, touching an account, in a span of time (until is not in it), with some words."""

    kinds: tuple[str, ...] = ()
    account: str = ""
    since: datetime | None = None
    until: datetime | None = None
    text: str = ""


@dataclass(frozen=True, slots=True)
class Booked:
    """An entry with the order and carrier it is about, and what the balance was after it, in minor units."""

    id: int
    at: datetime
    kind: str
    reason: str
    shipment_id: int | None
    order_id: int | None
    order_number: str
    carrier: str
    lines: tuple[tuple[str, int, int], ...]

    def after(self, account: str) -> int | None:
        """Return what an account held after this entry, None where it was not touched."""
        return next((after for name, _, after in self.lines if name == account), None)


def ledger_entries(session: Session, asks: EntryFilter, before: int | None = None, limit: int = 100) -> list[Booked]:
    """Return ledger entries, newest first, older than the entry ``before``."""
    query = _asked(asks).order_by(LedgerEntry.id.desc()).limit(limit)
    if before is not None:
        query = query.where(LedgerEntry.id < before)
    return [_booked(*row) for row in session.execute(query)]


def ledger_totals(session: Session, asks: EntryFilter) -> dict[str, int]:
    """Return what the entries asked for moved on each account, in minor units."""
    ids = _asked(asks).with_only_columns(LedgerEntry.id).subquery()
    rows = session.execute(
        select(LedgerLine.account, func.sum(LedgerLine.amount_minor))
        .where(LedgerLine.entry_id.in_(select(ids)))
        .group_by(LedgerLine.account)
    )
    return {account: int(total) for account, total in rows}


LEDGER_HEADS = ("Entry", "At (UTC)", "Kind", "Reason", "Order", "Carrier", *ACCOUNTS, "available after")


def ledger_rows(session: Session, asks: EntryFilter) -> Iterator[list[str]]:
    """Yield the rows of the ledger below ``LEDGER_HEADS``, oldest first; amounts in minor units."""
    last = 0
    while True:
        query = _asked(asks).where(LedgerEntry.id > last).order_by(LedgerEntry.id).limit(CHUNK)
        some = [_booked(*row) for row in session.execute(query)]
        for one in some:
            moved = {name: amount for name, amount, _ in one.lines}
            after = one.after("available")
            yield [
                str(one.id),
                f"{one.at:%Y-%m-%d %H:%M:%S}",
                one.kind,
                one.reason,
                one.order_number,
                one.carrier,
                *(str(moved.get(name, 0)) for name in ACCOUNTS),
                "" if after is None else str(after),
            ]
        if len(some) < CHUNK:
            return
        last = some[-1].id
        session.expunge_all()


def _asked(asks: EntryFilter) -> Select[LedgerEntry, int | None, str | None, str | None]:
    query: Select[LedgerEntry, int | None, str | None, str | None] = (
        select(LedgerEntry, Shipment.order_id, Order.number, Shipment.carrier)
        .outerjoin(Shipment, Shipment.id == LedgerEntry.shipment_id)
        .outerjoin(Order, Order.id == Shipment.order_id)
    )
    if asks.kinds:
        query = query.where(LedgerEntry.kind.in_(asks.kinds))
    if asks.account:
        query = query.where(LedgerEntry.lines.any(LedgerLine.account == asks.account))
    if asks.since:
        query = query.where(LedgerEntry.at >= asks.since)
    if asks.until:
        query = query.where(LedgerEntry.at < asks.until)
    if asks.text:
        query = query.where(LedgerEntry.reason.icontains(asks.text, autoescape=True))
    return query


def _booked(row: LedgerEntry, order_id: int | None, number: str | None, carrier: str | None) -> Booked:
    return Booked(
        row.id,
        row.at,
        row.kind,
        row.reason,
        row.shipment_id,
        order_id,
        number or "",
        carrier or "",
        tuple((ln.account, ln.amount_minor, ln.balance_after) for ln in sorted(row.lines, key=lambda ln: ln.id)),
    )


@dataclass(frozen=True, slots=True)
class Margin:
    """What a buyer paid for shipping and what it cost so far, corrections and returns in it, in minor units."""

    paid_minor: int
    cost_minor: int

    @property
    def margin_minor(self) -> int:
        """What is left, below zero where shipping cost more than was paid for it."""
        return self.paid_minor - self.cost_minor


def margins(session: Session, order_ids: Sequence[int]) -> dict[int, Margin]:
    """Return the margins of orders that cost something, by order id: every cent from the ledger's accounts.

    One that was paid in another currency has none: nothing is converted.
    """
    rows = session.execute(
        select(Order.id, Order.paid_shipping_minor, func.sum(LedgerLine.amount_minor))
        .join(Shipment, Shipment.order_id == Order.id)
        .join(LedgerEntry, LedgerEntry.shipment_id == Shipment.id)
        .join(LedgerLine, LedgerLine.entry_id == LedgerEntry.id)
        .where(Order.id.in_(order_ids), Order.currency == "", LedgerLine.account.in_(("postage", "cover")))
        .group_by(Order.id, Order.paid_shipping_minor)
    )
    return {order_id: Margin(paid, int(cost)) for order_id, paid, cost in rows}
