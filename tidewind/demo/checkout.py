"""The demo's web shop is told where to ask for prices, and gets a key that only reads."""

from __future__ import annotations

import httpx
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.db.tables import Person
from tidewind.services.people import make_key
from tidewind.settings import Settings


def open_checkout(sessions: sessionmaker[Session], settings: Settings) -> None:
    """Make a key for the web shop's checkout and hand it over."""
    with sessions.begin() as session:
        owner = session.scalars(select(Person.id).where(Person.login == "ines")).one()
        _, key = make_key(session, owner, "Checkout of the web shop", "care", reads_only=True, scope="checkout")
    body = {"url": settings.base_url, "key": key}
    httpx.put(f"{settings.standins_url}/larkspur/checkout-key", json=body, timeout=10).raise_for_status()
