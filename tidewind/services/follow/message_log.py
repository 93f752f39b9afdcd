"""Who was sent what, when and why; and what was not sent, and why not."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from tidewind.core.addresses.mail import is_mail_address
from tidewind.db.tables import Message, Order, Shipment
from tidewind.services.base import Invalid, write_history
from tidewind.services.follow.announcing import MOST_ALSO, blocked_of
from tidewind.services.orders import get_order

MOST_SHOWN = 200
LONGEST_LINE = 300


@dataclass(frozen=True, slots=True)
class Logged:
    """One message: of which order, what it told, to whom and how, and what became of it."""

    id: int
    order_id: int
    order_number: str
    trigger: str
    by: str
    recipient: str
    subject: str
    body: str
    reason: str
    at: datetime
    state: str
    why: str


def message_log(session: Session, search: str = "", order_id: int | None = None) -> Sequence[Logged]:
    """Return the newest messages; of one order, or those whose order, recipient or subject has some letters."""
    query = (
        select(Message, Order.id, Order.number)
        .join(Shipment, Shipment.id == Message.shipment_id)
        .join(Order, Order.id == Shipment.order_id)
        .order_by(Message.id.desc())
        .limit(MOST_SHOWN)
    )
    if order_id is not None:
        query = query.where(Order.id == order_id)
    if plain := search.strip().lower():
        columns = (Order.number, Message.recipient, Message.subject)
        query = query.where(or_(*(func.lower(column).contains(plain, autoescape=True) for column in columns)))
    return [_logged(row, order, number) for row, order, number in session.execute(query)]


def _logged(row: Message, order_id: int, number: str) -> Logged:
    state, why = _became(row)
    told = (row.trigger, row.by, row.recipient, row.subject, row.body, row.reason)
    return Logged(row.id, order_id, number, *told, row.sent_at or row.created_at, state, why)


def _became(row: Message) -> tuple[str, str]:
    if row.sent_at:
        return "sent", ""
    if row.not_sent:
        return "not_sent", row.not_sent
    if row.hold == "held":
        return "held", "too many would have gone at once; it waits for somebody's word"
    return "waits", f"tried {row.attempts} times: {row.last_error}" if row.attempts else ""


@dataclass(frozen=True, slots=True)
class Telling:
    """Who else is told of an order, the personal line of its mails, and which of its addresses are blocked, and why."""

    also_tell: tuple[str, ...]
    own_line: str
    blocked: tuple[tuple[str, str], ...]


def telling_of(session: Session, order_id: int) -> Telling:
    """Return how an order's buyer is told.  Raises NotFound."""
    order = get_order(session, order_id)
    addresses = (order.address.email, order.address.phone, *order.also_tell)
    blocked = tuple(sorted(blocked_of(session, addresses).items()))
    return Telling(tuple(order.also_tell), order.own_line, blocked)


def set_telling(session: Session, order_id: int, also: Sequence[str], line: str, who: str, now: datetime) -> Telling:
    """Say who else is told of an order, and its personal line.  Raises NotFound, Invalid for what is no address."""
    order = get_order(session, order_id)
    wanted = list(dict.fromkeys(address.strip() for address in also if address.strip()))
    wrong = [address for address in wanted if not is_mail_address(address)]
    if wrong:
        raise Invalid("no_mail_address", f"{wrong[0][:60]} is no mail address.")
    if len(wanted) > MOST_ALSO:
        raise Invalid("too_many", f"At most {MOST_ALSO} others are told of an order.")
    line = " ".join(line.split())
    if len(line) > LONGEST_LINE:
        raise Invalid("too_long", f"A personal line has at most {LONGEST_LINE} letters.")
    if (wanted, line) != (order.also_tell, order.own_line):
        order.also_tell, order.own_line = wanted, line
        write_history(session, order, who, "changed who else is told, and the personal line", now)
    return telling_of(session, order_id)
