"""What threatens the day beside the orders: money running low, refunds overdue, mails and prints that do not go."""

from __future__ import annotations

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.db.tables import LabelRequest, Message, PrintJob, Return, Shipment
from tidewind.services.planning import shop_settings

SHOWN_FOR = timedelta(days=7)
"""So long Today speaks of a label that a carrier sold late and did not take back; the order's history keeps it."""


def low_balance(session: Session, available_minor: int, still_to_buy_minor: int) -> bool:
    """Tell whether the balance does not reach for the day's labels, or falls below what the owner set."""
    return available_minor < max(still_to_buy_minor, shop_settings(session).low_balance_minor)


def alert_counts(session: Session, now: datetime) -> dict[str, int]:
    """Return how many of each thing wait for somebody: messages, refunds, returns, requests, prints."""
    today = now.astimezone(ZoneInfo(shop_settings(session).time_zone)).date()
    asked = {
        "late_sales": select(func.count(Shipment.id)).where(
            Shipment.late_sale != "", Shipment.asked_at > now - SHOWN_FOR
        ),
        "undelivered_messages": select(func.count(Message.id)).where(Message.sent_at.is_(None), Message.attempts > 0),
        "refunds_overdue": select(func.count(Shipment.id)).where(
            Shipment.state == "void_asked", Shipment.void_due_on < today
        ),
        "returns_back": select(func.count(Return.id)).where(Return.state == "back"),
        "requests_waiting": select(func.count(LabelRequest.id)).where(LabelRequest.state == "asked"),
        "prints_stuck": select(func.count(PrintJob.id)).where(PrintJob.state == "waiting", PrintJob.attempts > 0),
    }
    return {name: session.scalar(query) or 0 for name, query in asked.items()}
