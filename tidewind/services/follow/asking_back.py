"""A return that its buyer starts on the page of the parcel: by the shop's rules, with a label mailed at once."""

from __future__ import annotations

import threading
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import tidy
from tidewind.core.returning import REASONS, Returnable, ReturnRules, SentLine, buyer_pays, returnable
from tidewind.core.states.returns import ReturnState
from tidewind.core.tracking.states import TrackingState
from tidewind.core.written import Written
from tidewind.db.tables import OrderLine, Product, Return, Shipment
from tidewind.outside.apart import TooMuch, read_apart
from tidewind.outside.pictures import PictureError, photo_and_small
from tidewind.services.base import Conflict, Invalid
from tidewind.services.follow.parcels import public_view
from tidewind.services.follow.returns import ReturnRequest, ask_return, takes_returns
from tidewind.services.planning import shop_day, shop_settings

BUYER = "the buyer, on the page"
MOST_DAYS = 365
# Two are read at a time and two wait; beyond that the threads are kept for the people who work here.
_READING = threading.BoundedSemaphore(4)


@dataclass(frozen=True, slots=True)
class BuyersReturn:
    """What a buyer may send back of a parcel, its lines and until when; or that they have ``asked`` already.

    ``not_made``: they have, and the carrier would not make the label; the shop writes to them.
    """

    shipment: Shipment
    lines: tuple[OrderLine, ...]
    until: date | None
    why_not: str
    asked: bool
    not_made: bool
    rules: ReturnRules


@dataclass(frozen=True, slots=True)
class BuyersWish:
    """What comes back, by the line's id, why, in the buyer's words, with a picture if there is one."""

    pieces: Mapping[int, int]
    reason: str
    words: str = ""
    photo: bytes = b""


def return_rules(session: Session) -> ReturnRules:
    """Return the shop's rules for returns."""
    said: Written = shop_settings(session).return_rules
    usual = ReturnRules()
    return ReturnRules(
        on=said.get("on", usual.on) is True,
        days=int(said.get("days", usual.days)),
        buyer_pays=said.get("buyer_pays", usual.buyer_pays) is True,
        not_tags=frozenset(said.get("not_tags", ())),
    )


def set_return_rules(session: Session, rules: ReturnRules) -> ReturnRules:
    """Keep other rules; they hold for what is asked from now on.  Raises Invalid for days that cannot be."""
    if not 1 <= rules.days <= MOST_DAYS:
        raise Invalid("bad_days", f"Returns are taken for 1 to {MOST_DAYS} days.")
    shop_settings(session).return_rules = {
        "on": rules.on,
        "days": rules.days,
        "buyer_pays": rules.buyer_pays,
        "not_tags": sorted(rules.not_tags),
    }
    return return_rules(session)


def buyers_return(session: Session, tracking_key: str, now: datetime) -> BuyersReturn:
    """Return what a buyer may send back.  Raises NotFound where there is no such parcel."""
    shipment, events = public_view(session, tracking_key)
    delivered = next((e.at for e in events if e.state == TrackingState.DELIVERED), None)
    if shipment.tracking_state != TrackingState.DELIVERED:
        delivered = None
    rules = return_rules(session)
    alive = select(Return.state).where(Return.shipment_id == shipment.id, Return.state.in_(ReturnState.COUNTS))
    state = session.scalar(alive)
    not_made = state == ReturnState.FAILED
    if delivered is None or not rules.on:
        # Most looks at a parcel are at one under way: they need not read what was in it.
        why_not = returnable((), None, shop_day(session, now), rules).why_not
        return BuyersReturn(shipment, (), None, why_not, state is not None, not_made, rules)
    lines = session.scalars(
        select(OrderLine).where(OrderLine.order_id == shipment.order_id).order_by(OrderLine.position)
    ).all()
    known = session.execute(select(Product.sku, Product.tags).where(Product.sku.in_([line.sku for line in lines])))
    tags: dict[str, list[str]] = {sku: some for sku, some in known}  # noqa: C416 - rows, not pairs
    sent = [SentLine(line.id, line.quantity, tags.get(line.sku, ())) for line in lines]
    found = returnable(sent, shop_day(session, delivered), shop_day(session, now), rules)
    if found.lines and not (takes_returns(session, shipment, now) and shipment.address.email):
        found = Returnable(until=found.until, why_not="there is no label for the way back")
    mine = tuple(line for line in lines if line.id in found.lines)
    return BuyersReturn(shipment, mine, found.until, found.why_not, state is not None, not_made, rules)


def read_photo(data: bytes) -> bytes:
    """Return a buyer's picture, made small.  Raises Invalid for what is none, Conflict where too many are being read.

    It takes seconds and is given by anybody: no connection to the database may wait for it, and only a few threads.
    """
    if not _READING.acquire(blocking=False):
        raise Conflict("busy", "Many pictures are being read just now. Send it again in a moment.")
    try:
        return read_apart(photo_and_small, data)[0]
    except PictureError as error:
        raise Invalid("no_picture", str(error)) from error
    except TooMuch as error:
        raise Invalid("no_picture", f"The picture takes {error} to read.") from error
    finally:
        _READING.release()


def check_wish(
    session: Session, tracking_key: str, wish: BuyersWish, now: datetime
) -> tuple[BuyersReturn, list[dict[str, Any]]]:
    """Return what may be sent back, and what of it is wished, as it is kept.

    Raises NotFound; Conflict where nothing may come back, or something does already; Invalid for what is no choice
    (``nothing``, ``no_reason``).
    """
    may = buyers_return(session, tracking_key, now)
    if may.asked:
        raise Conflict("has_return", "There is a label for the way back already.")
    if not may.lines:
        raise Conflict("not_returnable", f"Nothing of this can be sent back: {may.why_not}.")
    allowed = {line.id: line for line in may.lines}
    items = [
        {"sku": allowed[n].sku, "name": allowed[n].name, "quantity": min(pieces, allowed[n].quantity)}
        for n, pieces in wish.pieces.items()
        if n in allowed and pieces > 0
    ]
    if not items:
        raise Invalid("nothing", "Choose what comes back.")
    if wish.reason not in REASONS:
        raise Invalid("no_reason", f"Say one of: {', '.join(REASONS)}.")
    return may, items


def ask_back(
    session: Session, tracking_key: str, wish: BuyersWish, now: datetime, photo: bytes | None = None
) -> Return:
    """Take a buyer's wish, with a picture that was read; its label is made and mailed in the background.

    Raises what ``check_wish`` raises.
    """
    may, items = check_wish(session, tracking_key, wish, now)
    made = ask_return(session, ReturnRequest(may.shipment.id, in_box=False, reason=wish.reason), BUYER, now)
    made.items, made.words = items, tidy(wish.words)[:500]
    made.buyer_pays = buyer_pays(wish.reason, may.rules)
    made.photo = photo
    return made
