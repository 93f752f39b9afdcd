"""What follows a purchase: the channel is told, the buyer gets a mail; both retried until they stick."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import datetime, timedelta
from typing import TypeVar

import structlog
from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, sessionmaker

from tidewind.db.tables import ChannelNotice, Message, Order, Shipment
from tidewind.outside.channels.upstream import News
from tidewind.outside.errors import MaybeDone, OutsideError, RefusedOutside
from tidewind.services.base import Outside, defer, is_due
from tidewind.services.follow.announcing import Occasion, announce, overtaken_by_now, tracking_url
from tidewind.services.follow.mailing import due_messages, give_up, send_message

log = structlog.get_logger(__name__)
LONGEST_PAUSE = timedelta(hours=1)
LONGEST_WAIT, FEW = timedelta(minutes=2), 10


def tell_of_purchase(
    session: Session, shipments: Sequence[Shipment], along: Mapping[int, Sequence[Order]], base_url: str, now: datetime
) -> None:
    """Write, in the purchase's own transaction, what channels and buyers must be told.

    ``along`` holds the orders that went with another, by the id of that one.
    """
    if not shipments:
        return
    for shipment in shipments:
        _write_notices(session, shipment, (shipment.order, *along.get(shipment.order_id, ())), "shipped", now)
    announce(session, [Occasion(shipment, "label", now) for shipment in shipments], base_url, now)
    # A little later: while a batch is being bought, its labels come first.
    defer(session, "send_followups", lock="send_followups", in_seconds=3)


def mail_label(session: Session, shipment: Shipment, recipient: str, words: str, why: str, now: datetime) -> None:
    """Mail a bought label to whoever must stick it on."""
    again = session.scalar(
        select(func.count(Message.id)).where(Message.shipment_id == shipment.id, Message.kind.startswith("label"))
    )
    session.add(
        Message(
            shipment_id=shipment.id,
            kind=f"label:{again}",
            recipient=recipient,
            attach="label",
            body=words,
            reason=why,
            subject=f"Label for order {shipment.order.number}",
            next_at=now,
        )
    )
    defer(session, "send_followups", lock="send_followups")


def tell_of_delivery(session: Session, shipment: Shipment, now: datetime) -> None:
    """Write that the channels that want to know must be told of a delivery, and of money that was paid at the door."""
    _tell_channels(session, shipment, "delivered", now)
    orders = (shipment.order, *_gone_along(session, shipment.order))
    at_the_door = [order for order in orders if order.payment == "pay_on_delivery"]
    _write_notices(session, shipment, at_the_door, "paid", now)


def tell_of_refund(session: Session, shipment: Shipment, now: datetime) -> None:
    """Write that the channels that want to know must be told of money that went back; of several refunds once."""
    _write_notices(session, shipment, (shipment.order,), "refunded", now)
    defer(session, "send_followups", lock="send_followups")


def tell_of_void(session: Session, shipment: Shipment, now: datetime) -> None:
    """Take back what was to be told of a label that is voided; who has been told already is told of that, too.

    The buyer gets no second mail: the next label brings one with the number that counts.
    """
    waiting = Message.sent_at.is_(None) & (Message.not_sent == "")
    session.execute(delete(Message).where(Message.shipment_id == shipment.id, waiting))
    notices = session.scalars(select(ChannelNotice).where(ChannelNotice.shipment_id == shipment.id)).all()
    for notice in notices:
        if notice.done_at is None:
            session.delete(notice)
    if any(notice.done_at and notice.kind.startswith("shipped") for notice in notices):
        _tell_channels(session, shipment, "cancelled", now)
        defer(session, "send_followups", lock="send_followups")


def _tell_channels(session: Session, shipment: Shipment, news: str, now: datetime) -> None:
    _write_notices(session, shipment, (shipment.order, *_gone_along(session, shipment.order)), news, now)


def _write_notices(session: Session, shipment: Shipment, orders: Sequence[Order], news: str, now: datetime) -> None:
    """Write what is to be told; what was told before is not told again, such as a delivery after one taken back."""
    rows = [
        {"shipment_id": shipment.id, "kind": news if order is shipment.order else f"{news}:{order.id}", "next_at": now}
        for order in orders
        if order.channel.kind == "webshop" and order.channel.write_back.get(news, False)
    ]
    if rows:
        session.flush()
        session.execute(insert(ChannelNotice).on_conflict_do_nothing(), rows)


def _gone_along(session: Session, order: Order) -> Sequence[Order]:
    return session.scalars(select(Order).where(Order.joined_to == order.id).order_by(Order.id)).all()


def _upstream(session: Session, shipment: Shipment, kind: str) -> Order:
    """Return the order as the channel knows it: one that went along by itself, a part by its whole."""
    _, _, along = kind.partition(":")
    order = session.get_one(Order, int(along)) if along else shipment.order
    return session.get_one(Order, order.part_of) if order.part_of else order


def _pause(attempts: int) -> timedelta:
    return min(timedelta(seconds=5 * 2 ** min(attempts, 10)), LONGEST_PAUSE)


def labels_first(sessions: sessionmaker[Session], now: datetime) -> bool:
    """Tell whether mails and notices should wait, because a batch is being bought just now and labels come first.

    They wait two minutes at most (shop policy); the sweep sends them as soon as the batch is done.
    """
    busy = select(func.count(Shipment.id)).where(Shipment.state == "buying", Shipment.asked_at > now - LONGEST_WAIT)
    with sessions() as session:
        return (session.scalar(busy) or 0) > FEW


def send_due_news(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> int:
    """Send every notice and message that is due, each in its own transaction; return how many got through."""
    with sessions() as session:
        notices = session.scalars(
            select(ChannelNotice.id)
            .where(ChannelNotice.done_at.is_(None), is_due(ChannelNotice.next_at, clock(), LONGEST_PAUSE))
            .limit(500)
        ).all()
    messages = due_messages(sessions, outside, clock())
    done = sum(_by_itself(_send_notice, ChannelNotice, sessions, outside, row_id, clock()) for row_id in notices)
    return done + sum(_by_itself(_send, Message, sessions, outside, row_id, clock()) for row_id in messages)


Told = TypeVar("Told", ChannelNotice, Message)


def _later(row: ChannelNotice | Message, why: str, now: datetime) -> None:
    """Note that one did not get through, and when it is tried again."""
    row.attempts += 1
    row.next_at, row.last_error = now + _pause(row.attempts), why[:300]


def _by_itself(
    send: Callable[[sessionmaker[Session], Outside, int, datetime], bool],
    table: type[Told],
    sessions: sessionmaker[Session],
    outside: Outside,
    row_id: int,
    now: datetime,
) -> bool:
    """Send one, and let a fault that nobody foresaw be that one's alone: it waits with words, the others go on."""
    try:
        return send(sessions, outside, row_id, now)
    except Exception as error:  # whatever it is, it must not stop the mails behind it
        log.exception("not_told", table=table.__tablename__, id=row_id)
        with sessions.begin() as session:
            _later(
                session.get_one(table, row_id, with_for_update=True), f"could not be sent: {type(error).__name__}", now
            )
        return False


def _send_notice(sessions: sessionmaker[Session], outside: Outside, notice_id: int, now: datetime) -> bool:
    with sessions.begin() as session:
        notice = session.scalar(
            select(ChannelNotice).where(ChannelNotice.id == notice_id).with_for_update(skip_locked=True)
        )
        if notice is None or notice.done_at:
            return False
        shipment = session.get_one(Shipment, notice.shipment_id)
        numbers = [label.tracking_number or "" for label in shipment.labels]
        try:
            order = _upstream(session, shipment, notice.kind)
            kind = notice.kind.partition(":")[0]
            news = News(kind, shipment.carrier, numbers, tracking_url(outside.base_url, shipment))
            outside.channel(order.channel).tell(order.number, news)
        except OutsideError as error:
            _later(notice, str(error), now)
            return False
        notice.done_at = now
        return True


def _send(sessions: sessionmaker[Session], outside: Outside, message_id: int, now: datetime) -> bool:
    with sessions.begin() as session:
        message = session.scalar(select(Message).where(Message.id == message_id).with_for_update(skip_locked=True))
        if message is None or message.sent_at or message.not_sent or message.hold == "held":
            return False
        if why := overtaken_by_now(session, message, now):
            message.not_sent = why  # withdrawn, and the log says so
            return False
        try:
            send_message(session, outside, message, now)
        except RefusedOutside as error:
            # What is wrong with the sender or the server is mended one day; what is wrong with the recipient is not.
            if message.by == "mail" and error.reason not in {"address_refused", "blocked"}:
                _later(message, str(error), now)
            else:
                give_up(session, message, error, now)
            return False
        except MaybeDone as error:
            # A text whose answer is lost may have arrived: told twice is worse than told late.
            give_up(session, message, RefusedOutside("maybe_sent", f"{error}; it may have arrived"), now)
            return False
        except OutsideError as error:
            _later(message, str(error), now)
            return False
        message.sent_at = now
        return True
