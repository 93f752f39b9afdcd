"""Who is working on which order now; it lapses when the page has been silent for two minutes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import cast

from sqlalchemy import Table, delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tidewind.db.tables import Person, PresenceRow
from tidewind.db.written import note_written

LAPSES_AFTER = timedelta(minutes=2)


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
    now_at_work = at_work_on(session, now, order_ids)
    others = {i: work for i, work in now_at_work.items() if work.person_id != person_id}
    mine = sorted(i for i in set(order_ids) if take_over or i not in others)
    if mine:
        # By the table, not by the mapper: that somebody is still there is no news, only that somebody came.
        statement = insert(cast(Table, PresenceRow.__table__)).values(
            [{"order_id": i, "person_id": person_id, "seen_at": now} for i in mine]
        )
        fresh = [{"order_id": i} for i in mine if i not in now_at_work or i in others]
        if fresh:
            note_written(session, "presence", fresh)
        session.execute(
            statement.on_conflict_do_update(index_elements=["order_id"], set_={"person_id": person_id, "seen_at": now})
        )
    return {} if take_over else others


def let_go(session: Session, order_ids: Sequence[int], person_id: int) -> None:
    """Say that a person is done with orders; another person's claim stays."""
    session.execute(delete(PresenceRow).where(PresenceRow.order_id.in_(order_ids), PresenceRow.person_id == person_id))
