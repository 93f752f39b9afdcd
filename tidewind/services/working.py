"""Who is working on which order now; a claim lapses when its page has been silent for two minutes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tidewind.db.tables import Claim, Person

LAPSES_AFTER = timedelta(minutes=2)


@dataclass(frozen=True, slots=True)
class Held:
    """An order that somebody is working on."""

    order_id: int
    person_id: int
    person: str


def held_now(session: Session, now: datetime, order_ids: Sequence[int] | None = None) -> dict[int, Held]:
    """Return who is working on what, by order id."""
    query = select(Claim.order_id, Claim.person_id, Person.name).join(Person, Person.id == Claim.person_id)
    query = query.where(Claim.seen_at > now - LAPSES_AFTER)
    if order_ids is not None:
        query = query.where(Claim.order_id.in_(order_ids))
    return {order_id: Held(order_id, person_id, name) for order_id, person_id, name in session.execute(query)}


def claim(
    session: Session, order_ids: Sequence[int], person_id: int, take_over: bool, now: datetime
) -> dict[int, Held]:
    """Say that a person works on orders, and return those somebody else has; they are taken over only where asked."""
    others = {i: held for i, held in held_now(session, now, order_ids).items() if held.person_id != person_id}
    mine = sorted(i for i in set(order_ids) if take_over or i not in others)
    if mine:
        statement = insert(Claim).values([{"order_id": i, "person_id": person_id, "seen_at": now} for i in mine])
        session.execute(
            statement.on_conflict_do_update(index_elements=["order_id"], set_={"person_id": person_id, "seen_at": now})
        )
    return {} if take_over else others


def let_go(session: Session, order_ids: Sequence[int], person_id: int) -> None:
    """Say that a person is done with orders; another person's claim stays."""
    session.execute(delete(Claim).where(Claim.order_id.in_(order_ids), Claim.person_id == person_id))
