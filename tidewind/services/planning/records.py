"""Orders as plain records, read and written many at once: the mapper's objects cost more than planning does.

They are for work over many orders that nobody holds in a session: taking in, and planning anew.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field, fields
from datetime import date, datetime
from typing import Any, NamedTuple, Protocol

from sqlalchemy import ColumnElement, delete, select, type_coerce
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.order_facts import Hand
from tidewind.core.stored import NO_ADDRESS, NO_HAND, NO_PLAN, VERSION, StoredPlan, read_plan, write_plan
from tidewind.core.written import Written
from tidewind.db.among import among
from tidewind.db.bulk import insert_rows, write_rows
from tidewind.db.tables import Channel, Order, OrderLine, SnagRow

PLANNED = (
    "plan", "carrier", "service", "network", "price_minor", "ship_date", "arrives", "parcel_count", "desk", "plan_tags",
    "basket", "destination", "promise_linked", "snag_level", "rule_facts", "good_until", "state", "state_by",
    "state_why", "plan_version", "planned_at",
)  # fmt: skip
"""The columns of an order that planning writes."""


HELD_AS = {"plan": "plan_written"}
"""Columns that a record holds in their written form, under another name."""


class SnagRecord(NamedTuple):
    """A snag as it is stored."""

    code: str
    level: str
    words: str
    fix: str
    about: str


@dataclass(slots=True)
class LineRecord:
    """One line of an order."""

    id: int
    order_id: int
    position: int
    sku: str
    name: str
    quantity: int
    sent: int
    unit_price_minor: int
    weight_g: int | None


class HasCode(Protocol):
    """A channel, as far as planning asks for it."""

    @property
    def code(self) -> str:
        """What rules know it by."""


class ChannelCode(NamedTuple):
    """A channel's code."""

    code: str


_NEVER_PLANNED: Written = write_plan(NO_PLAN)


@dataclass(slots=True)
class OrderRecord:
    """What planning reads and writes of an order; the names are the columns', and rows are read in this order."""

    id: int
    channel_id: int
    channel: HasCode
    number: str
    state: str
    state_by: str
    state_why: str
    ordered_at: datetime
    address: Address
    home: bool
    promise: str
    promise_date: date | None
    offer: str
    paid_shipping_minor: int
    note: str
    payment: str
    billing_name: str
    tags: list[Any]
    hand: Hand = NO_HAND
    cleared: list[Any] = field(default_factory=list)
    sender: Address = NO_ADDRESS
    currency: str = ""
    batch_id: int | None = None
    plan_written: Written = field(default_factory=lambda: _NEVER_PLANNED)
    carrier: str | None = None
    service: str | None = None
    network: str | None = None
    price_minor: int | None = None
    ship_date: date | None = None
    arrives: date | None = None
    parcel_count: int = 0
    desk: str = ""
    plan_tags: list[Any] = field(default_factory=list)
    basket: str = ""
    destination: str = ""
    promise_linked: bool = True
    snag_level: str = ""
    rule_facts: Written = field(default_factory=dict)
    good_until: datetime | None = None
    plan_version: int = 0
    planned_at: datetime | None = None
    lines: list[LineRecord] = field(default_factory=list)
    snags: list[SnagRecord] = field(default_factory=list)

    @property
    def plan(self) -> StoredPlan:
        """The plan, read from its written form: most are only compared, which that form does as well."""
        return read_plan(self.plan_written)

    def keeps(self, plan: StoredPlan, written: Written) -> bool:
        """Tell whether this is its plan already, in whatever version it is written; ``written`` is it in the newest."""
        if self.plan_written.get("version") == VERSION:
            return self.plan_written == written
        return self.plan == plan


_APART = {"channel": "", "lines": "", "snags": "", "plan_written": "plan"}
COLUMNS = tuple(name for f in fields(OrderRecord) if (name := _APART.get(f.name, f.name)))
# Columns of the tables, not of the mapping: rows of those go through the mapper, one by one.
_TABLE = Order.__table__.c
_SELECTED = tuple(type_coerce(_TABLE.plan, JSONB) if name == "plan" else _TABLE[name] for name in COLUMNS)
_LINE_COLUMNS = tuple(f.name for f in fields(LineRecord))


def lock_records(session: Session, where: ColumnElement[bool], most: int | None = None) -> list[OrderRecord]:
    """Lock the orders ``where`` something holds, in the order of their ids as everybody does, and read them.

    ``most``: only so many, the first ones.
    """
    query = select(*_SELECTED).where(where).order_by(Order.id).limit(most)
    session.flush()
    straight = session.connection()  # the mapper would look at each row of so many for what it might mean to it
    codes = {row.id: ChannelCode(row.code) for row in session.execute(select(Channel.id, Channel.code))}
    found = [OrderRecord(row[0], row[1], codes[row[1]], *row[2:]) for row in straight.execute(query.with_for_update())]
    by_id = {record.id: record for record in found}
    lines = select(*(OrderLine.__table__.c[name] for name in _LINE_COLUMNS)).where(among(OrderLine.order_id, by_id))
    for row in straight.execute(lines.order_by(OrderLine.order_id, OrderLine.position)):
        line = LineRecord(*row)
        by_id[line.order_id].lines.append(line)
    named = (SnagRow.order_id, SnagRow.code, SnagRow.level, SnagRow.words, SnagRow.fix, SnagRow.about)
    for order_id, *snag in session.execute(select(*named).where(among(SnagRow.order_id, by_id)).order_by(SnagRow.id)):
        by_id[order_id].snags.append(SnagRecord(*snag))
    return found


def write_plans(session: Session, records: Sequence[OrderRecord], columns: Collection[str]) -> None:
    """Write the columns of ``PLANNED`` that planning has set on records, and their snags."""
    if not records:
        return
    names = [name for name in PLANNED if name in columns]
    write_rows(session, Order, names, [_row(r, ("id", *names)) for r in records])
    ids = {record.id for record in records}
    session.execute(
        delete(SnagRow).where(among(SnagRow.order_id, ids)), execution_options={"synchronize_session": False}
    )
    insert_rows(session, SnagRow, _snags(records))
    read_again(session, ids)


def read_again(session: Session, ids: Collection[int]) -> None:
    """Let the mapper's objects of orders, where the session holds any, be read anew when they are asked."""
    for kept in list(session.identity_map.values()):
        if isinstance(kept, Order) and kept.id in ids:
            session.expire(kept)


def insert_records(session: Session, records: Sequence[OrderRecord], more: Sequence[Written]) -> None:
    """Insert new orders with their lines and snags; ``more`` says of each what planning does not ask for."""
    rows = [_row(r, COLUMNS) | rest for r, rest in zip(records, more, strict=True)]
    insert_rows(session, Order, rows)
    insert_rows(
        session, OrderLine, [{name: getattr(ln, name) for name in _LINE_COLUMNS} for r in records for ln in r.lines]
    )
    insert_rows(session, SnagRow, _snags(records))


def _row(record: OrderRecord, names: Sequence[str]) -> Written:
    return {name: getattr(record, HELD_AS.get(name, name)) for name in names}


def _snags(records: Sequence[OrderRecord]) -> list[Written]:
    return [{"order_id": record.id, **snag._asdict()} for record in records for snag in record.snags]
