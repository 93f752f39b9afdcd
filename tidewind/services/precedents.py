"""How a basket was shipped by hand: remembered at the purchase, offered to identical baskets afterwards."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tidewind.db.tables import Order, PrecedentRow

_CARRIED = ("service", "packaging", "extras")


def remember(session: Session, order: Order, now: datetime) -> None:
    """Keep what was set by hand for this basket and destination group; without a hand edit nothing is kept."""
    hand = {name: order.hand[name] for name in _CARRIED if order.hand.get(name)}
    if not hand or not order.basket:
        return
    values = {"hand": hand, "order_number": order.number, "at": now}
    statement = insert(PrecedentRow).values(basket=order.basket, destination=order.destination, **values)
    session.execute(statement.on_conflict_do_update(index_elements=["basket", "destination"], set_=values))


def precedents(session: Session) -> Sequence[PrecedentRow]:
    """Return all precedents, the newest first."""
    return session.scalars(select(PrecedentRow).order_by(PrecedentRow.at.desc(), PrecedentRow.id.desc())).all()


def forget(session: Session, precedent_id: int) -> None:
    """Drop a precedent; one that is gone already is no fault."""
    session.execute(delete(PrecedentRow).where(PrecedentRow.id == precedent_id))
