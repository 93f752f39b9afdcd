"""What lies on the demo shop's shelves, counted on the morning on which it is first opened."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.db.tables import Channel, Product
from tidewind.services.orders import count_stock, stock_levels

SELLS_FROM_IT = ("larkspur", "tallyfair")


def count_shelves(sessions: sessionmaker[Session], now: datetime) -> None:
    """Count every article once, some of them scarce, and let the own shop and one market know; else do nothing."""
    with sessions.begin() as session:
        if session.scalar(select(func.count()).where(Product.stock_base.is_not(None))):
            return
        skus = session.scalars(select(Product.sku).order_by(Product.sku)).all()
        # What waits to be packed lies there as well; a few have no more than that, and one was sold beyond it.
        count_stock(session, dict.fromkeys(skus, 0), now)
        waiting = {sku: max(-left, 0) for sku, left in stock_levels(session).items()}
        count_stock(session, {sku: max(waiting.get(sku, 0) + _spare(n), 0) for n, sku in enumerate(skus)}, now)
        for channel in session.scalars(select(Channel).where(Channel.code.in_(SELLS_FROM_IT))):
            channel.stock = "ours"


def _spare(n: int) -> int:
    """Return how many pieces of the n-th article nobody has ordered yet."""
    return (n * 37 + 11) % 120 - 2
