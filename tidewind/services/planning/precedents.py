"""How a basket was shipped by hand: remembered at the purchase, offered to identical baskets afterwards."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tidewind.core.order_facts import Hand
from tidewind.db.bulk import Columns
from tidewind.db.tables import Order, PrecedentRow


def remember_precedents(session: Session, orders: Iterable[Order], now: datetime) -> None:
    """Keep what was set by hand for each basket and destination group; without a hand edit nothing is kept."""
    found: dict[tuple[str, str], Columns] = {}
    for order in orders:
        hand = Hand(packaging=order.hand.packaging, service=order.hand.service, extras=order.hand.extras or None)
        if hand != Hand() and order.basket:
            found[order.basket, order.destination] = {"hand": hand, "order_number": order.number, "at": now}
    if not found:
        return
    rows = [{"basket": basket, "destination": to, **kept} for (basket, to), kept in sorted(found.items())]
    statement = insert(PrecedentRow)
    fresh = {name: statement.excluded[name] for name in ("hand", "order_number", "at")}
    session.execute(statement.on_conflict_do_update(index_elements=["basket", "destination"], set_=fresh), rows)


def all_precedents(session: Session) -> Sequence[PrecedentRow]:
    """Return all precedents, the newest first."""
    return session.scalars(select(PrecedentRow).order_by(PrecedentRow.at.desc(), PrecedentRow.id.desc())).all()


def forget_precedent(session: Session, precedent_id: int) -> None:
    """Drop a precedent; one that is gone already is no fault."""
    session.execute(delete(PrecedentRow).where(PrecedentRow.id == precedent_id))
