"""A van that did not come: its carrier is pressed with all facts, and it stays open until somebody has the answer."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.quantities import weight_text
from tidewind.core.states.pickups import PICKUP_MOVES, PickupMove, PickupState
from tidewind.db.tables import Pickup
from tidewind.outside.errors import OutsideError
from tidewind.services.base import Conflict, Invalid, Outside, move_row
from tidewind.services.handover.pickups import locked_pickup
from tidewind.services.planning import shop_settings


def open_missed(session: Session) -> Sequence[Pickup]:
    """Return the pickups that were missed and of which nobody has an answer yet, oldest first."""
    query = select(Pickup).where(Pickup.state == PickupState.MISSED, Pickup.settled_at.is_(None))
    return session.scalars(query.order_by(Pickup.id)).all()


def chase_text(session: Session, pickup: Pickup) -> str:
    """Return the words by which a carrier is pressed about a van that did not come, with all facts filled in."""
    shop, to, departure = shop_settings(session), pickup.address, pickup.departure
    classes = "\n".join(f"  {count} × {name}" for name, count in pickup.classes.items())
    lines = (
        f"Pickup {pickup.confirmation} was booked for {departure.day:%A %-d %B %Y}, "
        f"{pickup.start:%H:%M} to {pickup.until:%H:%M}, and nobody came.",
        *([f"Account {pickup.account}"] if pickup.account else []),
        f"{to.company or to.name}, {to.street}, {to.postcode} {to.city}" + (f", {pickup.spot}" if pickup.spot else ""),
        f"Contact {pickup.contact} {pickup.phone}".strip(),
        f"{pickup.parcels} parcels, {weight_text(pickup.gross_g)}:",
        classes,
        *([f"Manifest {pickup.manifest}"] if pickup.manifest else []),
        "",
        "Please tell us today when they will be fetched, and that no second fee is charged.",
        "",
        shop.name,
    )
    return "\n".join(line for line in lines if line is not None) + "\n"


def chase_pickup(session: Session, outside: Outside, pickup_id: int, mail_to: str, who: str, now: datetime) -> Pickup:
    """Press the carrier by mail about a van that did not come.  Raises Conflict where none was missed, NotFound."""
    pickup = locked_pickup(session, pickup_id)
    if pickup.state != PickupState.MISSED or pickup.settled_at is not None:
        raise Conflict("not_missed", "This pickup is not missed, or it is answered.")
    shop = shop_settings(session)
    subject = f"Pickup {pickup.confirmation} of {pickup.departure.day:%-d %B} was missed"
    try:
        outside.mailer.send(shop.brand, shop.mail_from, mail_to, subject, chase_text(session, pickup))
    except OutsideError as error:
        raise Conflict("mail_down", f"The mail could not be sent: {error}. Try again in a while.") from error
    pickup.chased_at, pickup.chased_by = now, who
    return pickup


def answer_missed(session: Session, pickup_id: int, words: str, came: bool, who: str, now: datetime) -> Pickup:
    """Write down what the carrier answered about a missed van; with ``came`` it turned up after all.

    Raises Conflict where it is not missed, Invalid without words, NotFound.
    """
    pickup = locked_pickup(session, pickup_id)
    if pickup.state != PickupState.MISSED or pickup.settled_at is not None:
        raise Conflict("not_missed", "This pickup is not missed, or it is answered.")
    if not words.strip():
        raise Invalid("no_words", "Write what the carrier answered; it stays with the pickup.")
    if came:
        move_row(pickup, PICKUP_MOVES, PickupState, PickupMove.FETCH)
    pickup.answer, pickup.settled_at = f"{words.strip()} ({who})"[:300], now
    return pickup
