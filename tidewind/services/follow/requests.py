"""Labels that colleagues without a login ask for: by a link, decided by the shipper, mailed when bought."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address, check, tidy, tidy_address
from tidewind.core.addresses.mail import is_mail_address
from tidewind.core.order_facts import Hand
from tidewind.core.stored import NO_ADDRESS
from tidewind.db.tables import LabelRequest, Message, Order, RequestLink, Shipment
from tidewind.services.base import Conflict, Invalid, NotFound, TooMany, defer
from tidewind.services.follow.announcing import tracking_url
from tidewind.services.follow.telling import mail_label
from tidewind.services.orders import TypedLine, TypedOrder, create_order
from tidewind.services.planning import plan_orders

MOST_A_LINK_AN_HOUR = 30
MOST_A_SOURCE_AN_HOUR = 8


@dataclass(frozen=True, slots=True)
class TypedRequest:
    """What somebody typed into the form; weight in g, sides in mm; ``sender`` only where it is not the shop."""

    asked_by: str
    address: Address
    what: str
    gross_g: int
    sides_mm: tuple[int, int, int]
    sticker_mail: str
    waiter_mail: str = ""
    why: str = ""
    cost_code: str = ""
    value_minor: int = 0
    sender: Address | None = field(default=None)


def request_links(session: Session) -> Sequence[RequestLink]:
    """Return the links that were made, the newest first."""
    return session.scalars(select(RequestLink).order_by(RequestLink.id.desc())).all()


def make_link(session: Session, name: str, cost_codes: Sequence[str]) -> RequestLink:
    """Make a link to the form; whoever has it may ask, nobody can guess it."""
    plain = tidy(name)[:80]
    if not plain:
        raise Invalid("no_name", "Say whom the link is for.")
    codes = list(dict.fromkeys(tidy(code)[:60] for code in cost_codes if tidy(code)))
    row = RequestLink(key=secrets.token_urlsafe(24), name=plain, cost_codes=codes[:50])
    session.add(row)
    session.flush()
    return row


def set_link(session: Session, link_id: int, active: bool) -> RequestLink:
    """Switch a link off or on; what was asked by it stays."""
    row = session.get(RequestLink, link_id)
    if row is None:
        raise NotFound("unknown_link", "This link does not exist.")
    row.active = active
    return row


def link_by_key(session: Session, key: str) -> RequestLink:
    """Return a link in use by its key.  Raises NotFound."""
    row = session.scalar(select(RequestLink).where(RequestLink.key == key, RequestLink.active))
    if row is None:
        raise NotFound(
            "unknown_link", "This link is not in use (any more). Ask whoever gave it to you for another one."
        )
    return row


def ask_for_label(
    session: Session, key: str, typed: TypedRequest, client_key: str, source: str, now: datetime
) -> LabelRequest:
    """Keep a wish; the same ``client_key`` again is the same wish.

    Raises NotFound for a link not in use, TooMany where too much is asked in an hour, Invalid with what is wrong.
    """
    link = link_by_key(session, key)
    known = session.scalar(select(LabelRequest).where(LabelRequest.client_key == client_key))
    if known is not None:
        return known
    _not_too_often(session, link, source, now)
    address = tidy_address(typed.address)
    sender = tidy_address(typed.sender) if typed.sender else None
    _check(link, typed, address, sender)
    row = LabelRequest(
        link_id=link.id,
        link=link,
        client_key=client_key,
        view_key=secrets.token_urlsafe(24),
        state="asked",
        asked_by=tidy(typed.asked_by)[:120],
        source=source[:200],
        why=tidy(typed.why)[:300],
        cost_code=tidy(typed.cost_code)[:60],
        sender=sender or NO_ADDRESS,
        address=address,
        what=tidy(typed.what)[:120],
        gross_g=typed.gross_g,
        sides_mm=sorted(typed.sides_mm, reverse=True),
        value_minor=typed.value_minor,
        sticker_mail=typed.sticker_mail.strip(),
        waiter_mail=typed.waiter_mail.strip(),
        created_at=now,
    )
    session.add(row)
    session.flush()
    return row


def _not_too_often(session: Session, link: RequestLink, source: str, now: datetime) -> None:
    hour = now - timedelta(hours=1)
    recent = select(func.count(LabelRequest.id)).where(LabelRequest.created_at > hour)
    from_here = session.scalar(recent.where(LabelRequest.source == source)) or 0
    by_link = session.scalar(recent.where(LabelRequest.link_id == link.id)) or 0
    if from_here >= MOST_A_SOURCE_AN_HOUR or by_link >= MOST_A_LINK_AN_HOUR:
        raise TooMany("too_often", "Too many labels were asked for in the last hour. Try later, or ring the shop.")


def _check(link: RequestLink, typed: TypedRequest, address: Address, sender: Address | None) -> None:
    faults = [f"To: {fault.words}" for fault in check(address)]
    faults += [f"From: {fault.words}" for fault in check(sender)] if sender else []
    for name, value in (("Your name", typed.asked_by), ("What is in it", typed.what)):
        if not tidy(value):
            faults.append(f"{name} is missing")
    for name, mail, needed in (
        ("mail address for the label", typed.sticker_mail, True),
        ("mail address for the tracking number", typed.waiter_mail, False),
    ):
        if (needed or mail.strip()) and not is_mail_address(mail.strip()):
            faults.append(f"The {name} cannot be right")
    if link.cost_codes and tidy(typed.cost_code) not in link.cost_codes:
        faults.append("Choose one of the cost codes")
    if faults:
        raise Invalid("form", ". ".join(faults) + ". What you typed is still there.")


def waiting_requests(session: Session, limit: int = 200) -> Sequence[LabelRequest]:
    """Return the requests, the undecided first, then the newest."""
    query = select(LabelRequest).order_by(LabelRequest.state != "asked", LabelRequest.id.desc()).limit(limit)
    return session.scalars(query).all()


def request_by_view_key(session: Session, key: str) -> LabelRequest:
    """Return a request by the address its asker was given.  Raises NotFound."""
    row = session.scalar(select(LabelRequest).where(LabelRequest.view_key == key))
    if row is None:
        raise NotFound("unknown_request", "There is no request at this address.")
    return row


def _undecided(session: Session, request_id: int) -> LabelRequest:
    row = session.scalar(select(LabelRequest).where(LabelRequest.id == request_id).with_for_update(of=LabelRequest))
    if row is None:
        raise NotFound("unknown_request", "This request does not exist.")
    if row.state != "asked":
        raise Conflict("decided", f"{row.decided_by} has {row.state} this request already.")
    return row


def approve_request(
    session: Session, request_id: int, gross_g: int | None, service: str | None, who: str, now: datetime
) -> Order:
    """Make a shipment of a request, with the weight or service changed where asked; it is bought like any other.

    A dear service still needs the owner's yes, which the shipment's plan asks for.
    """
    row = _undecided(session, request_id)
    hand = Hand(service=service or None)
    line = TypedLine(
        sku=f"R-{row.id}",
        name=row.what,
        quantity=1,
        unit_price_minor=row.value_minor,
        weight_g=gross_g or row.gross_g,
        sides_mm=tuple(row.sides_mm),
        own_box=True,
    )
    typed = TypedOrder(
        address=row.address,
        lines=[line],
        reference=row.cost_code,
        note="",
        home=False,
        tags=("request",),
        hand=hand,
    )
    order = create_order(session, typed, now)
    if row.sender != NO_ADDRESS:
        order.sender = row.sender
        plan_orders(session, [order], now)
    if gross_g:
        row.gross_g = gross_g
    row.state, row.order_id, row.decided_by, row.decided_at = "approved", order.id, who, now
    return order


def decline_request(session: Session, request_id: int, words: str, who: str, now: datetime) -> LabelRequest:
    """Decline a request with a reason, which its asker reads on the page of the request."""
    row = _undecided(session, request_id)
    if len(tidy(words)) < 3:
        raise Invalid("no_reason", "Say in a few words why not; the colleague reads it.")
    row.state, row.words, row.decided_by, row.decided_at = "declined", tidy(words)[:300], who, now
    return row


def mail_requested_labels(session: Session, shipments: Sequence[Shipment], base_url: str, now: datetime) -> set[int]:
    """Mail labels that were asked for to whoever sticks them on, numbers to whoever waits; return which they are."""
    by_order = {s.order_id: s for s in shipments}
    rows = session.scalars(select(LabelRequest).where(LabelRequest.order_id.in_(by_order))).all()
    for row in rows:
        _send_label(session, row, by_order[row.order_id or 0], base_url, now)
    return {by_order[row.order_id or 0].id for row in rows}


def _send_label(session: Session, row: LabelRequest, shipment: Shipment, base_url: str, now: datetime) -> None:
    row.state = "labelled"
    words = f"Hello {row.asked_by},\n\nthe label you asked for is in the attachment. Print it at its full size.\n"
    mail_label(session, shipment, row.sticker_mail, words, "a label was asked for and bought", now)
    if row.waiter_mail:
        numbers = ", ".join(label.tracking_number or "" for label in shipment.labels)
        session.add(
            Message(
                shipment_id=shipment.id,
                kind="request_number",
                recipient=row.waiter_mail,
                next_at=now,
                subject=f"A parcel from {row.asked_by} is on its way",
                reason="a label was asked for and bought",
                body=f"Tracking number: {numbers}\nFollow it here: {tracking_url(base_url, shipment)}\n",
            )
        )
    defer(session, "send_followups", lock="send_followups")


def label_of_request(session: Session, row: LabelRequest) -> Shipment | None:
    """Return the label that was bought for a request, None while there is none."""
    query = select(Shipment).where(Shipment.order_id == row.order_id, Shipment.state == "bought")
    return session.scalar(query.limit(1))
