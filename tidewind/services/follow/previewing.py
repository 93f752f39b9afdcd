"""What a message would look like with a real order, before anything is saved or sent."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.mail import is_mail_address
from tidewind.core.messages.deciding import Rules
from tidewind.core.messages.filling import faults_in, fill, fill_lines
from tidewind.core.messages.text_length import TextLength, text_length
from tidewind.core.messages.triggers import Trigger
from tidewind.core.tracking.states import TrackingState
from tidewind.core.written import Written
from tidewind.db.tables import Channel, Order, Shipment
from tidewind.db.tables import Shop as ShopRow
from tidewind.outside.errors import OutsideError
from tidewind.outside.mailer import Dress
from tidewind.services.base import Conflict, Invalid, NotFound, Outside
from tidewind.services.follow.announcing import message_values, with_own_line
from tidewind.services.follow.dressing import Look, dressed
from tidewind.services.follow.mailing import look_of
from tidewind.services.follow.texts import day_in, language_of, languages, state_in
from tidewind.services.follow.wording import ChannelWords, Text, words_by_channel
from tidewind.services.planning import shop_day, shop_settings
from tidewind.services.shop import carrier_name

_STATE: Mapping[Trigger, TrackingState] = {
    "moving": TrackingState.MOVING,
    "out_for_delivery": TrackingState.OUT_FOR_DELIVERY,
    "awaiting_collection": TrackingState.AWAITING_COLLECTION,
    "delivered": TrackingState.DELIVERED,
    "late": TrackingState.MOVING,
    "problem": TrackingState.PROBLEM,
    "returning": TrackingState.RETURNING,
}


@dataclass(frozen=True, slots=True)
class SampleAsked:
    """Which message, by which rules, is shown; without a number, with the order that was sent last."""

    channel: str
    draft: Written
    trigger: Trigger
    language: str = ""
    order_number: str = ""


@dataclass(frozen=True, slots=True)
class Sample:
    """A message as it would go for an order: to whom, as text, HTML and SMS; ``faults`` cannot be filled."""

    order_number: str
    to: str
    phone: str
    language: str
    subject: str
    text: str
    html: str
    sms: str
    sms_length: TextLength
    faults: tuple[str, ...]


def sample(session: Session, asked: SampleAsked, base_url: str, now: datetime) -> Sample:
    """Return a message by rules that are not saved.

    Raises NotFound where there is no such order, or none that was sent yet; Invalid for an unknown language.
    """
    trigger, shipment = asked.trigger, _shipment(session, asked.channel, asked.order_number)
    words = _with_draft(session, asked.channel, asked.draft)
    language = asked.language or words.language or language_of(shipment.address.country)
    if language not in languages():
        raise Invalid("no_language", f"{language[:10]} is no language that messages are written in.")
    text = words.text(trigger, language)
    brand = shipment.order.channel.brand or shop_settings(session).brand
    carrier = carrier_name(session, shipment.carrier)
    values = message_values(shipment, carrier, brand, base_url, language)
    state = _STATE.get(trigger)
    if state:
        today = day_in(shop_day(session, now), language)
        values["last"] = f"{state_in(state, language)}, {shipment.address.city}, {today}"
    faults = tuple(faults_in(f"{text.subject}\n{text.body}\n{text.sms}"))
    text = _harmless(text, faults)
    body, subject, sms = fill_lines(text.body, values), fill(text.subject, values), fill(text.sms, values)
    if shipment.order.own_line:
        body = with_own_line(body, shipment.order.own_line)
    look = replace(look_of(session, shipment, brand, base_url, language), colour=words.colour)
    html, to = dressed(body, _with_logo(session, look), shipment), shipment.address
    length = text_length(sms)
    return Sample(shipment.order.number, to.email, to.phone, language, subject, body, html, sms, length, faults)


def _with_logo(session: Session, look: Look) -> Look:
    """Return a look whose logo stands in the page itself, since there is no mail to carry it."""
    logo = session.scalar(select(ShopRow.logo)) if look.has_logo else None
    return replace(look, logo_at=f"data:image/png;base64,{base64.b64encode(logo).decode()}" if logo else "")


def send_sample(outside: Outside, session: Session, made: Sample, recipient: str) -> None:
    """Mail a sample to oneself.  Raises Invalid for what is no address, Conflict where the mail does not go."""
    if not is_mail_address(recipient):
        raise Invalid("no_mail_address", "Type the mail address that the test should go to.")
    shop = shop_settings(session)
    dress = Dress(made.html, f"test.{made.order_number}", f"{outside.base_url}/")
    try:
        outside.mailer.send(shop.brand, shop.mail_from, recipient, f"Test: {made.subject}", made.text, None, dress)
    except OutsideError as error:
        raise Conflict("mail_down", f"The mail could not be sent: {error}.") from error


def _shipment(session: Session, channel: str, number: str) -> Shipment:
    query = select(Shipment).join(Order, Order.id == Shipment.order_id).where(Shipment.state == "bought")
    if channel:
        query = query.join(Channel, Channel.id == Order.channel_id).where(Channel.code == channel)
    if number:
        query = query.where(Order.number == number)
    found = session.scalar(query.order_by(Shipment.id.desc()).limit(1))
    if found is None:
        what = f"No order {number[:40]} has a label" if number else "No order has a label yet"
        raise NotFound("no_such_order", f"{what}; a message is shown with one that has.")
    return found


def _with_draft(session: Session, channel: str, draft: Written) -> ChannelWords:
    """Return a channel's words as the draft would have them."""
    saved = words_by_channel(session)
    if not channel:
        return ChannelWords(Rules(), {}, draft)
    return ChannelWords(Rules(), draft, saved[None].shop)


def _harmless(text: Text, faults: tuple[str, ...]) -> Text:
    """Return the text with what no order can fill in other brackets, so that the rest can be shown."""
    subject, body, sms = text.subject, text.body, text.sms
    for fault in faults:
        plain = fault.replace("{", "⟨").replace("}", "⟩")
        subject, body, sms = (part.replace(fault, plain) for part in (subject, body, sms))
    return Text(subject, body, sms)
