"""Who is working on which order now; it lapses when the page has been silent for two minutes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import delete, select, text
from sqlalchemy.orm import Session

from tidewind.db.bulk import Columns
from tidewind.db.engine import ByDriver
from tidewind.db.tables import Person, PresenceRow
from tidewind.db.written import note_written

LAPSES_AFTER = timedelta(minutes=2)


_START = ByDriver(
    text("""
with before as (
    select p.order_id, p.person_id, person.name from presence p join person on person.id = p.person_id
     where p.order_id = any(:orders) and p.seen_at > :since
), started as (
    insert into presence (order_id, person_id, seen_at)
    select one, :person, :now from unnest(cast(:orders as bigint[])) one
     where :takes_over or one not in (select order_id from before where person_id <> :person)
     order by one
        on conflict (order_id) do update set person_id = excluded.person_id, seen_at = excluded.seen_at
)
select order_id, person_id, name from before
""")
)
"""Says that a ``person`` works on ``orders``, and returns who did so before; the rows are locked by their ids."""


@dataclass(frozen=True, slots=True)
class AtWork:
    """An order that somebody is working on."""

    order_id: int
    person_id: int
    person: str


def at_work_on(session: Session, now: datetime, order_ids: Sequence[int] | None = None) -> dict[int, AtWork]:
    """Return who is working on what, by order id."""
    query = select(PresenceRow.order_id, PresenceRow.person_id, Person.name).join(
        Person, Person.id == PresenceRow.person_id
    )
    query = query.where(PresenceRow.seen_at > now - LAPSES_AFTER)
    if order_ids is not None:
        query = query.where(PresenceRow.order_id.in_(order_ids))
    return {order_id: AtWork(order_id, person_id, name) for order_id, person_id, name in session.execute(query)}


def start_work(
    session: Session, order_ids: Sequence[int], person_id: int, take_over: bool, now: datetime
) -> dict[int, AtWork]:
    """Say that a person works on orders, and return those somebody else has; they are taken over only where asked."""
    given: Columns = {"orders": sorted(set(order_ids)), "person": person_id, "takes_over": take_over, "now": now}
    found = _START.all(session.connection(), given | {"since": now - LAPSES_AFTER})
    before = {order_id: AtWork(order_id, who, name) for order_id, who, name in found}
    others = {i: work for i, work in before.items() if work.person_id != person_id}
    # That somebody is still there is no news, only that somebody came.
    fresh = [{"order_id": i} for i in given["orders"] if i not in before or (take_over and i in others)]
    if fresh:
        note_written(session, "presence", fresh)
    return {} if take_over else others


def let_go(session: Session, order_ids: Sequence[int], person_id: int) -> None:
    """Say that a person is done with orders; another person's claim stays."""
    session.execute(delete(PresenceRow).where(PresenceRow.order_id.in_(order_ids), PresenceRow.person_id == person_id))
