"""What is kept of one person, by mail address: all of it in one file, and erased where the books allow.

Orders whose parcels are still under way, and those that wait, are kept until they are done: without the address they
could not arrive.  What was bought, its price and number, and every entry of the ledger stay; whom it went to does not
(Regulation (EU) 2016/679, articles 15, 17 and 20; what of the books is kept for how long is the shop's to know).
"""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Text, cast, delete, func, select, update
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.addresses.mail import is_mail_address
from tidewind.core.customs.said import write_said
from tidewind.core.states.labels import LabelState
from tidewind.core.tracking.states import FINAL
from tidewind.core.written import Written
from tidewind.db.tables import (
    BlockedAddress,
    Contact,
    Difference,
    FollowedNumber,
    Import,
    LabelRequest,
    Message,
    Order,
    OrderChange,
    OwnPaper,
    ParcelDeed,
    ParcelWish,
    Return,
    Shipment,
)
from tidewind.services.base import Invalid, lock_orders, write_history

ERASED = "erased"
DONE = frozenset({"shipped", "cancelled"})


@dataclass(frozen=True, slots=True)
class Erasure:
    """What became of a wish to be forgotten: how many orders were erased, and the numbers of those still needed."""

    erased: int
    kept: tuple[str, ...]


def _plain(mail: str) -> str:
    plain = mail.strip().casefold()
    if not is_mail_address(plain):
        raise Invalid("no_mail_address", "Type the mail address that the person gave.")
    return plain


def _theirs(column: Any, mail: str) -> ColumnElement[bool]:
    found: ColumnElement[bool] = func.lower(column["email"].astext) == mail
    return found


def personal_data(session: Session, mail: str) -> Written:
    """Return everything kept about the person with a mail address.  Raises Invalid for what is no address."""
    mail = _plain(mail)
    orders = session.scalars(select(Order).where(_theirs(Order.address, mail)).order_by(Order.id)).all()
    shipments = select(Shipment).where(_theirs(Shipment.address, mail)).order_by(Shipment.id)
    contacts = session.scalars(select(Contact).where(_theirs(Contact.address, mail)).order_by(Contact.id))
    requests = session.scalars(select(LabelRequest).where(_asked_with(mail)).order_by(LabelRequest.id))
    sent = select(Shipment.id).where(_theirs(Shipment.address, mail))
    theirs = (func.lower(Message.recipient) == mail) | Message.shipment_id.in_(sent)
    mails = session.scalars(select(Message).where(theirs).order_by(Message.id))
    returns = session.scalars(select(Return).where(Return.shipment_id.in_(sent)).order_by(Return.id))
    waits = session.scalars(select(FollowedNumber).where(func.lower(FollowedNumber.tell_mail) == mail))
    blocked = session.scalar(select(BlockedAddress).where(BlockedAddress.address == mail))
    deeds = session.scalars(select(ParcelDeed).where(ParcelDeed.shipment_id.in_(sent)).order_by(ParcelDeed.id))
    wishes = session.scalars(select(ParcelWish).where(ParcelWish.shipment_id.in_(sent)).order_by(ParcelWish.id))
    return {
        "mail": mail,
        "orders": [_order(order) for order in orders],
        "shipments": [_shipment(shipment) for shipment in session.scalars(shipments)],
        "address_book": [{"code": c.code, "address": asdict(c.address)} for c in contacts],
        "wants_no_more_mails": {"since": _iso(blocked.created_at), "why": blocked.why} if blocked else None,
        "returns": [{"at": _iso(r.asked_at), "reason": r.reason, "words": r.words} for r in returns],
        "waits_for_parcels": [{"number": f.number, "what": f.what} for f in waits],
        "mails": [{"at": _iso(m.sent_at), "subject": m.subject, "body": m.body, "reason": m.reason} for m in mails],
        "wishes": [{"at": _iso(w.asked_at), "for": w.kind, "words": w.words} for w in wishes],
        "parcels_seen_to": [{"at": _iso(d.at), "what": d.kind, "words": d.words} for d in deeds],
        "label_requests": [
            {"asked_by": r.asked_by, "address": asdict(r.address), "what": r.what, "why": r.why} for r in requests
        ],
    }


def _iso(at: datetime | None) -> str | None:
    return at.isoformat() if at else None


def _order(order: Order) -> Written:
    return {
        "number": order.number,
        "ordered_at": order.ordered_at.isoformat(),
        "address": asdict(order.address),
        "note": order.note,
        "billing_name": order.billing_name,
        "items": [{"name": line.name, "quantity": line.quantity} for line in order.lines],
        "as_imported": order.imported,
        "also_told": order.also_tell,
        "personal_line": order.own_line,
        "customs": write_said(order.hand.customs) if order.hand.customs else {},
    }


def _shipment(shipment: Shipment) -> Written:
    return {
        "address": asdict(shipment.address),
        "service": shipment.service_name,
        "bought_at": _iso(shipment.bought_at),
        "tracking_numbers": [label.tracking_number for label in shipment.labels],
        "tracking_state": shipment.tracking_state,
    }


def _asked_with(mail: str) -> ColumnElement[bool]:
    by_address = _theirs(LabelRequest.address, mail)
    return by_address | (func.lower(LabelRequest.sticker_mail) == mail) | (func.lower(LabelRequest.waiter_mail) == mail)


def erase_person(session: Session, mail: str, who: str, now: datetime) -> Erasure:
    """Erase what is kept about a person, but for orders that are not done; return what became of it.

    That they want no mails stays, since it could not be kept otherwise.

    An order keeps its number, country, lines, prices and history of what was done, without whom it was for.
    """
    mail = _plain(mail)
    found = lock_orders(session, where=_theirs(Order.address, mail))
    needed = _still_needed(session, [order.id for order in found])
    done = [order for order in found if order.state in DONE and order.id not in needed]
    ids = [order.id for order in done]
    for order in done:
        _forget(order)
        write_history(session, order, who, "erased whom it was for, as was asked", now)
    session.flush()
    session.execute(update(Difference).where(Difference.order_id.in_(ids)).values(changes=[], upstream={}))
    session.execute(update(OrderChange).where(OrderChange.order_id.in_(ids)).values(undo={}))
    _forget_parcels(session, ids)
    session.execute(delete(Contact).where(_theirs(Contact.address, mail)))
    waiting = update(FollowedNumber).where(func.lower(FollowedNumber.tell_mail) == mail)
    session.execute(waiting.values(tell_mail=""))
    _forget_requests(session, mail, ids)
    kept = tuple(order.number for order in found if order not in done)
    if not kept:
        _forget_rows(session, mail)
    return Erasure(len(done), kept)


def _forget_parcels(session: Session, ids: Sequence[int]) -> None:
    """Forget whom the parcels of orders were for, and what was said to and of them."""
    for shipment in session.scalars(select(Shipment).where(Shipment.order_id.in_(ids))):
        shipment.address = _country_of(shipment.address)
        if shipment.customs:
            told = shipment.customs["told"] | {"recipient_number": "", "broker": ""}
            shipment.customs = shipment.customs | {"told": told}
    session.execute(delete(OwnPaper).where(OwnPaper.order_id.in_(ids)))
    parcels = select(Shipment.id).where(Shipment.order_id.in_(ids))
    theirs = Message.shipment_id.in_(parcels)
    session.execute(update(Message).where(theirs).values(recipient=ERASED, body=""))
    # To whom at a carrier a question went stays: it is offered again, and is about nobody here.
    deeds = ParcelDeed.shipment_id.in_(parcels)
    session.execute(update(ParcelDeed).where(deeds).values(words=""))
    session.execute(update(ParcelDeed).where(deeds, ParcelDeed.kind == "told_buyer").values(mail_to=ERASED))
    session.execute(update(ParcelWish).where(ParcelWish.shipment_id.in_(parcels)).values(words=""))
    session.execute(update(Return).where(Return.shipment_id.in_(parcels)).values(words="", photo=None))


def _still_needed(session: Session, order_ids: Sequence[int]) -> set[int]:
    """Return the orders with a parcel that is not where it ends, or a label about which money is still open."""
    query = select(Shipment.order_id).where(Shipment.order_id.in_(order_ids))
    under_way = Shipment.state.in_(LabelState.TRAVELS) & Shipment.tracking_state.not_in(FINAL)
    return set(session.scalars(query.where(under_way | Shipment.state.in_(("buying", "void_asked")))))


def _country_of(address: Address) -> Address:
    return Address(name=ERASED, country=address.country)


def _forget(order: Order) -> None:
    order.address, order.imported = _country_of(order.address), {}
    order.note = order.billing_name = order.comment = order.reference = order.own_line = ""
    order.also_tell = []
    order.search, order.recipient_key = order.number.lower(), secrets.token_hex(16)
    order.rule_facts = {}
    order.hand = replace(order.hand, customs=None)


def _forget_requests(session: Session, mail: str, order_ids: Sequence[int]) -> None:
    for row in session.scalars(select(LabelRequest).where(_asked_with(mail))):
        if row.order_id is None or row.order_id in order_ids:
            row.address, row.sender = _country_of(row.address), Address()
            row.asked_by = row.sticker_mail = ERASED
            row.waiter_mail = row.why = row.source = ""


def _forget_rows(session: Session, mail: str) -> None:
    """Empty the rows of files that name the address, once no order is left that they made."""

    def names(cells: Sequence[str]) -> bool:
        return any(mail == cell.strip().casefold() for cell in cells)

    pattern = f"%{mail.replace('_', chr(92) + '_').replace('%', chr(92) + '%')}%"
    for row in session.scalars(select(Import).where(func.lower(cast(Import.rows, Text)).like(pattern))):
        row.rows = [[number, [ERASED] if names(cells) else cells] for number, cells in row.rows]
        row.corrected = {number: [ERASED] if names(cells) else cells for number, cells in row.corrected.items()}
