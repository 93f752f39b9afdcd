"""An order's history: who did what, and what stood there before, so that it can be undone."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.db.tables import Order, OrderChange


def write_history(
    session: Session, order: Order, who: str, what: str, now: datetime, undo: Mapping[str, Any] | None = None
) -> OrderChange:
    """Write an entry; ``undo`` holds what brings the former state back, nothing where it cannot be."""
    row = OrderChange(order_id=order.id, at=now, who=who[:120], what=what[:300], undo=dict(undo or {}))
    session.add(row)
    return row


def history_of(session: Session, order_id: int) -> Sequence[OrderChange]:
    """Return an order's history, newest first."""
    return session.scalars(
        select(OrderChange).where(OrderChange.order_id == order_id).order_by(OrderChange.id.desc())
    ).all()
