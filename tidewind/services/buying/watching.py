"""A key that was given up is looked at until its carrier can no longer sell it: a late sale is never silent.

A purchase is given up only once the carrier has taken the key back (``cancel``), after which an honest one sells
nothing under it.  Whoever sells all the same is found here: the label is taken back again, and the order says so; what
cannot be taken back waits for a person.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from datetime import datetime, timedelta

import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload, sessionmaker

from tidewind.core.quantities import money_text
from tidewind.db.tables import CarrierRow, Shipment
from tidewind.outside.carrier import CarrierClient, Sold
from tidewind.outside.errors import MaybeDone, NeverSent, NotBelieved, RefusedOutside
from tidewind.services.base import NotFound, Outside, is_due, write_history
from tidewind.services.planning import shop_settings

WATCHED_FOR = timedelta(hours=24)
"""So long a purchase may still settle at a carrier that says nothing else (shop policy)."""
LOOKED_AT_MOST = 50
FIRST_LOOK, LONGEST_PAUSE = timedelta(minutes=1), timedelta(minutes=30)
log = structlog.get_logger(__name__)


def watch(shipment: Shipment, now: datetime) -> None:
    """Begin to look after a purchase that is given up now."""
    shipment.watched_until, shipment.next_try_at = now + WATCHED_FOR, now + FIRST_LOOK


def never_will_be(client: CarrierClient, key: str) -> bool:
    """Take a key back at its carrier; tell whether it has said that nothing was and nothing will be sold under it."""
    try:
        with suppress(NotBelieved):
            if client.find(key) is not None:
                return False  # sold after all: the next turn takes it
        client.cancel(key)
    except (NeverSent, MaybeDone, RefusedOutside):
        return False
    return True


def look_for_late_sales(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> int:
    """Look at the keys that were given up and are due; return how many were sold late.

    Each by itself: a carrier that cannot be reached is asked again later, until the time it may still sell is over.
    Of its keys one is tried in a round, since each would wait as long for nothing while others wait behind it.
    """
    with sessions.begin() as session:
        due = session.execute(
            select(Shipment.id, Shipment.carrier)
            .where(Shipment.watched_until.is_not(None), is_due(Shipment.next_try_at, clock(), LONGEST_PAUSE))
            .order_by(Shipment.next_try_at)
            .limit(LOOKED_AT_MOST)
        ).all()
    away: set[str] = set()
    late = 0
    for shipment_id, carrier in due:
        if carrier not in away:
            try:
                late += _look(sessions, outside, shipment_id, clock)
            except (NeverSent, MaybeDone):
                away.add(carrier)
    return late


def _look(sessions: sessionmaker[Session], outside: Outside, shipment_id: int, clock: Callable[[], datetime]) -> bool:
    """Look at one key; tell whether it was sold late.  Raises NeverSent or MaybeDone, with the next look put off."""
    with sessions() as session:
        shipment = session.get_one(Shipment, shipment_id)
        carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == shipment.carrier)).one()
        key, client = shipment.idempotency_key, outside.carrier(carrier)
    try:
        sold = client.find(key)
        refused = _take_back(client, key) if sold else ""
    except (NeverSent, MaybeDone):
        with sessions.begin() as session:
            _note(session, shipment_id, carrier.name, None, "", clock())
        raise
    with sessions.begin() as session:
        _note(session, shipment_id, carrier.name, sold, refused, clock())
    return sold is not None


def settle_label(session: Session, shipment_id: int, words: str, who: str, now: datetime) -> None:
    """Note how somebody settled a disputed charge for a label; Today no longer shows it.

    What the carrier charges comes with its bill.  Raises NotFound where there is none, or somebody has settled it.
    """
    query = (
        select(Shipment).where(Shipment.id == shipment_id, Shipment.unsettled != "").options(joinedload(Shipment.order))
    )
    shipment = session.scalar(query.with_for_update(of=Shipment))
    if shipment is None:
        raise NotFound("nothing_to_settle", "There is nothing to settle here, or somebody has settled it.")
    write_history(session, shipment.order, who, f"settled the charge: {words}. {shipment.unsettled}"[:300], now)
    shipment.unsettled = ""


def _take_back(client: CarrierClient, key: str) -> str:
    """Take a late sale back; return why the carrier does not, in words, or nothing."""
    try:
        client.cancel(key)
    except RefusedOutside as refusal:
        return str(refusal) or "it says no"
    return ""


def _note(session: Session, shipment_id: int, carrier: str, sold: Sold | None, refused: str, now: datetime) -> None:
    query = select(Shipment).where(Shipment.id == shipment_id).options(joinedload(Shipment.order))
    shipment = session.scalars(query.with_for_update(of=Shipment)).one()
    if shipment.watched_until is None:
        return
    if sold is None:
        waited = now - (shipment.watched_until - WATCHED_FOR)
        shipment.next_try_at = now + min(max(FIRST_LOOK, waited / 2), LONGEST_PAUSE)
        if now >= shipment.watched_until:
            shipment.watched_until = None
        return
    numbers = ", ".join(parcel.tracking_number for parcel in sold.parcels)[:120]
    what = f"{carrier} sold {numbers} for {money_text(sold.price_minor, shop_settings(session).currency)} after all"
    shipment.watched_until = None
    if refused:
        shipment.unsettled = f"{what} and does not take it back: {refused}."[:300]
        shipment.failure = f"{shipment.failure[:180]}. {shipment.unsettled}"
    else:
        shipment.failure = f"{shipment.failure[:180]}. {what}; it was taken back"
    write_history(session, shipment.order, carrier, f"{what}; {'not ' if refused else ''}taken back", now)
    log.warning("late sale", shipment=shipment_id, taken_back=not refused)
