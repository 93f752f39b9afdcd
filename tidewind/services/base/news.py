"""Tell whoever is watching that something changed; the news leaves when the transaction commits."""

from __future__ import annotations

from sqlalchemy import text
from sqlalchemy.orm import Session

NEWS_CHANNEL = "tidewind"


def tell(session: Session, topic: str) -> None:
    """Send a topic (``batch:12``, ``orders``) to every open page."""
    session.execute(text("select pg_notify(:channel, :topic)"), {"channel": NEWS_CHANNEL, "topic": topic[:200]})
