"""What is done about a parcel that needs somebody: its carrier is asked, its buyer is told, somebody sees to it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from functools import partial
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.messages.filling import fill
from tidewind.core.messages.triggers import Trigger
from tidewind.core.tracking.troubles import Kind
from tidewind.db.tables import CarrierRow, Message, ParcelDeed, Shipment
from tidewind.outside.errors import OutsideError
from tidewind.services.base import Conflict, Invalid, NotFound, Outside, defer, write_history
from tidewind.services.follow.announcing import tracking_url
from tidewind.services.follow.letters import (
    carriers_language,
    in_both,
    line_in,
    where_to,
    written_day,
    written_instant,
)
from tidewind.services.follow.texts import day_in, language_of, mail_text, state_in
from tidewind.services.follow.troubles import ParcelUnderWay, parcel_in_trouble
from tidewind.services.planning import shop_day, shop_settings

_TEXT_OF: dict[Kind, str] = {
    "lost": "lost",
    "damaged": "lost",
    "refused": "back",
    "returning": "back",
    "address": "back",
    "waiting": "waiting",
    "stuck": "late",
    "customs": "late",
    "problem": "late",
    "late": "late",
}


_TRIGGER_OF: dict[str, Trigger] = {
    "late": "late",
    "waiting": "awaiting_collection",
    "back": "returning",
    "lost": "problem",
}
"""What a mail by hand tells of, so that the same is not told once more by itself, nor the other way round."""


@dataclass(frozen=True, slots=True)
class Letter:
    """A mail as it would go: to whom, in which language, its subject and its text."""

    to: str
    language: str
    subject: str
    body: str


def letter_to_buyer(session: Session, shipment_id: int, base_url: str, now: datetime) -> Letter:
    """Return what the buyer of a parcel in trouble would be told.  Raises NotFound, Conflict where nothing is wrong."""
    shipment, parcel = _in_trouble(session, shipment_id, now)
    kind: Kind = parcel.trouble.kind if parcel.trouble else "late"
    language = language_of(shipment.address.country)
    subject, body = mail_text(_TEXT_OF[kind], language)
    carrier = session.scalars(select(CarrierRow.name).where(CarrierRow.code == shipment.carrier)).one()
    seen = day_in(shop_day(session, parcel.seen_at), language) if parcel.seen_at else ""
    last = ", ".join(part for part in (state_in(parcel.state, language), parcel.spot, seen) if part)
    values = {
        "name": parcel.name,
        "order": parcel.order_number,
        "carrier": carrier,
        "promised": day_in(shipment.arrives, language) if shipment.arrives else "",
        "last": last,
        "link": tracking_url(base_url, shipment),
        "shop": shop_settings(session).brand,
    }
    return Letter(shipment.address.email, language, fill(subject, values), fill(body, values))


def tell_buyer(session: Session, outside: Outside, shipment_id: int, who: str, now: datetime) -> Letter:
    """Mail the buyer what is wrong with their parcel, once for each cause.

    Raises NotFound; Conflict where nothing is wrong, nobody's address is known, or they were told of this already.
    """
    session.get(Shipment, shipment_id, with_for_update={"of": Shipment})  # two people at once: the second is told so
    letter = letter_to_buyer(session, shipment_id, outside.base_url, now)
    shipment, parcel = _in_trouble(session, shipment_id, now)
    cause = parcel.trouble.kind if parcel.trouble else "late"
    if not letter.to:
        raise Conflict("no_address", "No mail address of this buyer is known. Call them, or write through the channel.")
    kind, trigger = f"told:{cause}", _TRIGGER_OF[_TEXT_OF[cause]]
    by_itself = (Message.kind == trigger) & (Message.not_sent == "")
    if session.scalar(select(Message.id).where(Message.shipment_id == shipment_id, (Message.kind == kind) | by_itself)):
        raise Conflict("told_already", "The buyer was told of this already.")
    session.add(
        Message(
            shipment_id=shipment_id,
            kind=kind,
            trigger=trigger,
            language=letter.language,
            recipient=letter.to,
            subject=letter.subject[:200],
            body=letter.body,
            reason=f"{who} told the buyer: {parcel.trouble.words if parcel.trouble else ''}"[:200],
            next_at=now,
        )
    )
    _note(session, shipment, parcel, "told_buyer", who, now, letter.body, letter.to)
    defer(session, "send_followups", lock="send_followups")
    return letter


def letter_to_carrier(session: Session, shipment_id: int, now: datetime) -> Letter:
    """Return what the carrier of a parcel in trouble would be asked, with all facts; ``to`` is who was asked last."""
    shipment, parcel = _in_trouble(session, shipment_id, now)
    language = carriers_language(session, shipment.carrier, shipment.ship_date)
    body = in_both(language, lambda tongue: _question(session, shipment, parcel, tongue))
    subject = line_in(language, "where_subject", number=parcel.number)
    asked = (
        select(ParcelDeed.mail_to)
        .join(Shipment, Shipment.id == ParcelDeed.shipment_id)
        .where(ParcelDeed.kind == "asked_carrier", Shipment.carrier == shipment.carrier)
        .order_by(ParcelDeed.id.desc())
        .limit(1)
    )
    return Letter(session.scalar(asked) or "", language, subject, body)


def _question(session: Session, shipment: Shipment, parcel: ParcelUnderWay, language: str) -> list[str]:
    shop, trouble = shop_settings(session), parcel.trouble
    say, zone = partial(line_in, language), ZoneInfo(shop.time_zone)
    day, said = partial(written_day, language=language), f"{parcel.words} {parcel.spot}".strip()
    when = written_instant(parcel.seen_at, zone, language) if parcel.seen_at else ""
    return [
        say("shipped", number=parcel.number, service=shipment.service_name, day=day(shipment.ship_date)),
        say("to", to=where_to(shipment)),
        say("heard", when=when, words=said) if parcel.seen_at else say("never"),
        *([say("due", day=day(shipment.arrives))] if shipment.arrives else []),
        *([say("account", account=shipment.account)] if shipment.account else []),
        "",
        *([say(f"sees_{trouble.kind}", days=trouble.days)] if trouble else []),
        say("please"),
        "",
        shop.name,
    ]


def ask_carrier(session: Session, outside: Outside, shipment_id: int, mail_to: str, who: str, now: datetime) -> Letter:
    """Ask a parcel's carrier by mail where it is.  Raises NotFound, Conflict where nothing is wrong or mail is down."""
    letter = letter_to_carrier(session, shipment_id, now)
    shipment, parcel = _in_trouble(session, shipment_id, now)
    shop = shop_settings(session)
    try:
        outside.mailer.send(shop.brand, shop.mail_from, mail_to, letter.subject, letter.body)
    except OutsideError as error:
        raise Conflict("mail_down", f"The mail could not be sent: {error}. Try again in a while.") from error
    _note(session, shipment, parcel, "asked_carrier", who, now, letter.body, mail_to)
    return letter


def see_to(session: Session, shipment_id: int, words: str, who: str, now: datetime) -> None:
    """Write down that a trouble is seen to, and how; it is spoken of again when something new is heard.

    Raises NotFound, Conflict where nothing is wrong, Invalid without words.
    """
    shipment, parcel = _in_trouble(session, shipment_id, now)
    if not words.strip():
        raise Invalid("no_words", "Write what was done; it stays with the order.")
    _note(session, shipment, parcel, "seen_to", who, now, words.strip())


def _in_trouble(session: Session, shipment_id: int, now: datetime) -> tuple[Shipment, ParcelUnderWay]:
    shipment = session.get(Shipment, shipment_id)
    if shipment is None:
        raise NotFound("unknown_shipment", "There is no such shipment.")
    parcel = parcel_in_trouble(session, shipment_id, now)
    if parcel is None:
        raise Conflict("no_trouble", "Nothing is wrong with this parcel any more.")
    return shipment, parcel


_SAID = {"asked_carrier": "asked the carrier", "told_buyer": "told the buyer", "seen_to": "saw to it"}


def _note(
    session: Session,
    shipment: Shipment,
    parcel: ParcelUnderWay,
    kind: str,
    who: str,
    now: datetime,
    words: str,
    mail_to: str = "",
) -> None:
    trouble = parcel.trouble.kind if parcel.trouble else ""
    session.add(
        ParcelDeed(
            shipment_id=shipment.id, at=now, who=who, kind=kind, trouble=trouble, words=words[:2_000], mail_to=mail_to
        )
    )
    what = f"{_SAID[kind]}: {parcel.trouble.words if parcel.trouble else ''}"
    write_history(session, shipment.order, who, f"{what}{f'; {words}' if kind == 'seen_to' else ''}"[:300], now)
