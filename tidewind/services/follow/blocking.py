"""Addresses to which nothing is sent any more: mail came back, its owner complained, asked for it, or we decided so."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tidewind.core.messages.deciding import plain_address
from tidewind.db.tables import BlockedAddress, Order, Shipment
from tidewind.services.base import Invalid, NotFound, write_history

WHYS = ("bounced", "complained", "asked", "by_hand")


def block_address(session: Session, address: str, why: str, words: str, now: datetime) -> None:
    """Send nothing to a mail address or phone number any more.  Raises Invalid for what is neither, or no reason."""
    plain = plain_address(address)
    if not plain or len(plain) > 200 or ("@" not in plain and not plain.lstrip("+").isdigit()):
        raise Invalid("no_address", "Type a mail address, or a phone number with its country: +351 …")
    if why not in WHYS:
        raise Invalid("no_reason", f"Say one of: {', '.join(WHYS)}.")
    row = {"address": plain, "why": why, "words": words.strip()[:300], "created_at": now}
    session.execute(insert(BlockedAddress).on_conflict_do_nothing(), [row])


def unblock_address(session: Session, address_id: int) -> None:
    """Send to an address again.  Raises NotFound."""
    row = session.get(BlockedAddress, address_id)
    if row is None:
        raise NotFound("unknown_address", "This address is not blocked any more.")
    session.delete(row)


def blocked_addresses(session: Session, limit: int = 500) -> Sequence[BlockedAddress]:
    """Return the addresses that are blocked, the newest first."""
    return session.scalars(select(BlockedAddress).order_by(BlockedAddress.id.desc()).limit(limit)).all()


def stop_messages(session: Session, tracking_key: str, now: datetime) -> None:
    """Send nothing more to the addresses of a parcel's buyer, who asks for it on its page.  Raises NotFound."""
    shipment = session.scalar(select(Shipment).where(Shipment.tracking_key == tracking_key))
    if shipment is None:
        raise NotFound("unknown_parcel", "There is no parcel at this address. Check the link in your mail.")
    order = session.get_one(Order, shipment.order_id)
    for address in (shipment.address.email, shipment.address.phone):
        if address:
            block_address(session, address, "asked", f"on the page of order {order.number}", now)
    write_history(session, order, "the buyer", "wants no more messages about parcels", now)
