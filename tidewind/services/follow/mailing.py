"""Send one message: by mail, dressed in the channel's brand, or by SMS; hold them when too many would go at once."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from sqlalchemy import func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.messages.deciding import plain_address
from tidewind.db.tables import BlockedAddress, Channel, Message, Order, Shipment
from tidewind.db.tables import Shop as ShopRow
from tidewind.outside.errors import RefusedOutside
from tidewind.outside.mailer import Dress, Paper
from tidewind.services.base import Outside, defer, is_due
from tidewind.services.follow.announcing import blocked_of, tracking_url
from tidewind.services.follow.dressing import Look, dressed
from tidewind.services.follow.wording import hold_over, words_by_channel
from tidewind.services.papers import print_labels, print_returns
from tidewind.services.planning import shop_settings
from tidewind.services.shop import carrier_name, gateway_of, mail_goes

AT_ONCE = 500
STALE_AFTER = timedelta(days=1)
LONGEST_WAIT = timedelta(hours=25)
"""No message waits longer: quiet hours end within a day, whatever the clock does."""


def due_messages(sessions: sessionmaker[Session], outside: Outside, now: datetime) -> Sequence[int]:
    """Return the messages that are to be sent now; mails wait where no server would take them.

    Where more would go at once than the shop wants, or where they have waited for a server for longer than a day, those
    to buyers are held until somebody lets them go (shop policy: news of yesterday are asked about).
    """
    waiting = Message.sent_at.is_(None) & (Message.not_sent == "") & is_due(Message.next_at, now, LONGEST_WAIT)
    fresh = waiting & (Message.trigger != "") & (Message.hold == "") & (Message.attempts == 0)
    with sessions.begin() as session:
        goes = mail_goes(session, outside)
        if goes:
            old = Message.next_at < now - STALE_AFTER  # by when it was due: some are written long before
            session.execute(update(Message).where(fresh, old, Message.by == "mail").values(hold="held"))
        if goes and (session.scalar(select(func.count(Message.id)).where(fresh)) or 0) > hold_over(session):
            session.execute(update(Message).where(fresh).values(hold="held"))
        query = select(Message.id).where(waiting, Message.hold != "held").order_by(Message.next_at).limit(AT_ONCE)
        return session.scalars(query if goes else query.where(Message.by != "mail")).all()


def mails_without_server(session: Session, outside: Outside) -> int:
    """Return how many mails wait for a mail server; 0 where there is one."""
    if mail_goes(session, outside):
        return 0
    waiting = select(func.count(Message.id)).where(Message.sent_at.is_(None), Message.not_sent == "")
    return session.scalar(waiting.where(Message.by == "mail")) or 0


def held_messages(session: Session) -> int:
    """Return how many messages wait for somebody's word."""
    held = select(func.count(Message.id)).where(Message.hold == "held", Message.sent_at.is_(None))
    return session.scalar(held.where(Message.not_sent == "")) or 0


def let_go(session: Session, who: str, *, send: bool) -> int:
    """Let the held messages go, or drop them; return how many."""
    held = (Message.hold == "held") & Message.sent_at.is_(None) & (Message.not_sent == "")
    change = {"hold": "let_go"} if send else {"hold": "", "not_sent": f"{who} decided not to send it"[:200]}
    found = session.execute(update(Message).where(held).values(**change).returning(Message.id)).all()
    if send and found:
        defer(session, "send_followups", lock="send_followups")
    return len(found)


def send_message(session: Session, outside: Outside, message: Message, now: datetime) -> None:
    """Send one message by its way.  Raises what the outside raises; RefusedOutside where it is not taken.

    Whoever has asked for no more since it was written gets no more.
    """
    if message.trigger and (why := blocked_of(session, [message.recipient])):
        raise RefusedOutside("blocked", f"nothing is sent to this address: {next(iter(why.values()))}")
    if message.by == "sms":
        gateway = gateway_of(session, outside.sealer)
        if gateway is None:
            raise RefusedOutside("no_gateway", "no SMS gateway is set up")
        outside.text(gateway, message.recipient, message.body)
        return
    brand, sender = _sender(session, message)
    paper, dress = _paper(session, message, now), _dress(session, outside, message, brand)
    outside.mailer.send(brand, sender, message.recipient, message.subject, message.body, paper, dress)


def give_up(session: Session, message: Message, error: RefusedOutside, now: datetime) -> None:
    """Note that a message can never be sent; an address that the mail server refuses gets no more."""
    message.attempts, message.last_error = message.attempts + 1, str(error)[:300]
    message.not_sent = str(error)[:200]
    if error.reason == "address_refused":
        row = {
            "address": plain_address(message.recipient),
            "why": "bounced",
            "words": str(error)[:300],
            "created_at": now,
        }
        session.execute(insert(BlockedAddress).on_conflict_do_nothing(), [row])


def _sender(session: Session, message: Message) -> tuple[str, str]:
    """Return under which brand and from which address a mail goes: the channel's, else the shop's."""
    shop = shop_settings(session)
    of_channel = (
        select(Channel.brand, Channel.mail_from)
        .join(Order, Order.channel_id == Channel.id)
        .join(Shipment, Shipment.order_id == Order.id)
        .where(Shipment.id == message.shipment_id)
    )
    brand, sender = session.execute(of_channel).one_or_none() or ("", "")
    return brand or shop.brand, sender or shop.mail_from


def _paper(session: Session, message: Message, now: datetime) -> Paper | None:
    """Draw the paper that goes with a mail, if any."""
    if message.attach == "label":
        return Paper("label.pdf", print_labels(session, [message.shipment_id]))
    if message.attach == "return_label":
        return_id = int(message.kind.partition(":")[2])
        return Paper("label-for-the-way-back.pdf", print_returns(session, [return_id], now, "a4"))
    return None


def look_of(session: Session, shipment: Shipment, brand: str, base_url: str, language: str) -> Look:
    """Return what a shipment's mails are dressed in."""
    return Look(
        brand=brand,
        colour=words_by_channel(session)[shipment.order.channel_id].colour,
        language=language,
        link=tracking_url(base_url, shipment),
        stop=f"{tracking_url(base_url, shipment)}/stop",
        carrier=carrier_name(session, shipment.carrier),
        has_logo=bool(session.scalar(select(func.length(ShopRow.logo)))),
    )


def _dress(session: Session, outside: Outside, message: Message, brand: str) -> Dress | None:
    """Return what a mail to a buyer is dressed in; what goes to others stays plain."""
    if not message.trigger:
        return None
    shipment = session.get_one(Shipment, message.shipment_id)
    look = look_of(session, shipment, brand, outside.base_url, message.language or "en")
    logo = session.scalar(select(ShopRow.logo)) if look.has_logo else None
    key = f"{shipment.tracking_key[:16]}.{message.id}"
    return Dress(dressed(message.body, look, shipment), key, look.stop, logo)
