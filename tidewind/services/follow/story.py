"""Where is it? One order from the basket to the door and back, and an answer to its buyer in their language."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Literal
from zoneinfo import ZoneInfo

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.messages.filling import fill_lines
from tidewind.core.messages.triggers import Trigger
from tidewind.core.states.labels import LabelState
from tidewind.core.tracking.states import TrackingState
from tidewind.db.tables import (
    Departure,
    Label,
    Message,
    Order,
    Packing,
    ParcelDeed,
    ParcelWish,
    Person,
    Return,
    Shipment,
    TrackingEvent,
)
from tidewind.services.follow.announcing import message_values
from tidewind.services.follow.parcels import events_of
from tidewind.services.follow.texts import day_in, language_of, said_in, state_in
from tidewind.services.follow.wishes import WISHED
from tidewind.services.follow.wording import words_by_channel
from tidewind.services.orders import get_order
from tidewind.services.planning import shop_settings
from tidewind.services.shop import carrier_name

StepKind = Literal["ordered", "bought", "packed", "handed_over", "event", "told", "done", "way_back", "wished"]
_TEXT_OF: Mapping[TrackingState, Trigger] = {
    TrackingState.ANNOUNCED: "label",
    TrackingState.ACCEPTED: "moving",
    TrackingState.MOVING: "moving",
    TrackingState.OUT_FOR_DELIVERY: "out_for_delivery",
    TrackingState.AWAITING_COLLECTION: "awaiting_collection",
    TrackingState.DELIVERED: "delivered",
    TrackingState.PROBLEM: "problem",
    TrackingState.LOST: "problem",
    TrackingState.RETURNING: "returning",
    TrackingState.RETURNED: "returning",
}
_DEEDS = {"asked_carrier": "The carrier was asked", "told_buyer": "The buyer was told", "seen_to": "Seen to"}


@dataclass(frozen=True, slots=True)
class Step:
    """Something that happened to an order: when, what, and where or by whom."""

    at: datetime
    kind: StepKind
    words: str
    more: str = ""


@dataclass(frozen=True, slots=True)
class Story:
    """Everything that happened to an order, the newest first, and an answer to copy; empty before anything was sent."""

    steps: tuple[Step, ...]
    language: str = ""
    answer: str = ""


def story_of(session: Session, order_id: int, base_url: str, now: datetime) -> Story:
    """Return an order's story.  Raises NotFound."""
    order = get_order(session, order_id)
    shipments = session.scalars(select(Shipment).where(Shipment.order_id == order_id).order_by(Shipment.id)).all()
    steps = [Step(order.ordered_at, "ordered", f"Ordered at {order.channel.name}")]
    for shipment in shipments:
        steps += _sent(session, shipment)
    steps += _packed(session, order_id)
    steps.sort(key=lambda step: step.at, reverse=True)
    sent = next((s for s in reversed(shipments) if s.state in LabelState.TRAVELS), None)
    if sent is None:
        return Story(tuple(steps))
    language = words_by_channel(session)[order.channel_id].language or language_of(sent.address.country)
    return Story(tuple(steps), language, _answer(session, order, sent, language, base_url, now))


def _sent(session: Session, shipment: Shipment) -> Iterator[Step]:
    if shipment.bought_at:
        numbers = ", ".join(label.tracking_number or "" for label in shipment.labels)
        voided = "" if shipment.state in LabelState.TRAVELS else f" ({shipment.state.replace('_', ' ')})"
        yield Step(shipment.bought_at, "bought", f"Label bought, {shipment.service_name}{voided}", numbers)
    handed = (
        select(func.max(Departure.handed_over_at), func.max(Departure.driver))
        .join(Label, Label.departure_id == Departure.id)
        .where(Label.shipment_id == shipment.id, Departure.handed_over_at.is_not(None))
    )
    for at, driver in session.execute(handed):
        if at:
            yield Step(at, "handed_over", "Handed over", driver)
    for event in events_of(session, shipment):
        yield Step(event.at, "event", event.words, event.spot)
    for wish in session.scalars(select(ParcelWish).where(ParcelWish.shipment_id == shipment.id)):
        said = ", ".join(part for part in (wish.words, wish.day.isoformat() if wish.day else "") if part)
        yield Step(wish.asked_at, "wished", f"The buyer wished for {WISHED[wish.kind]} ({wish.state})", said)
    yield from _told(session, shipment)
    yield from _back(session, shipment)


def _told(session: Session, shipment: Shipment) -> Iterator[Step]:
    for message in session.scalars(select(Message).where(Message.shipment_id == shipment.id)):
        how = "SMS" if message.by == "sms" else "Mail"
        if message.sent_at:
            yield Step(message.sent_at, "told", f"{how}: {message.subject}", message.recipient)
        elif message.not_sent:
            yield Step(message.created_at, "told", f"Not told: {message.subject}", message.not_sent)
    for deed in session.scalars(select(ParcelDeed).where(ParcelDeed.shipment_id == shipment.id)):
        yield Step(deed.at, "done", f"{_DEEDS[deed.kind]} by {deed.who}", deed.words if deed.kind == "seen_to" else "")


def _back(session: Session, shipment: Shipment) -> Iterator[Step]:
    for back in session.scalars(select(Return).where(Return.shipment_id == shipment.id)):
        yield Step(back.asked_at, "way_back", f"Label for the way back, asked for by {back.asked_by}", back.reason)
        if back.used_at:
            yield Step(back.used_at, "way_back", "On its way back", back.tracking_number or "")
        if back.back_at:
            yield Step(back.back_at, "way_back", "Back with us", back.outcome)


def _packed(session: Session, order_id: int) -> Iterator[Step]:
    query = select(Packing.packed_at, Person.name).join(Person, Person.id == Packing.person_id)
    for at, who in session.execute(query.where(Packing.order_id == order_id, Packing.packed_at.is_not(None))):
        if at:
            yield Step(at, "packed", f"Packed by {who}")


def _answer(session: Session, order: Order, shipment: Shipment, language: str, base_url: str, now: datetime) -> str:
    """Return what a buyer who asks is answered: where it is, since when, and when it is expected."""
    shop = shop_settings(session)
    state = TrackingState(shipment.tracking_state)
    text = words_by_channel(session)[order.channel_id].text(_TEXT_OF[state], language)
    carrier = carrier_name(session, shipment.carrier)
    values = message_values(shipment, carrier, order.channel.brand or shop.brand, base_url, language)
    zone = ZoneInfo(shop.time_zone)
    values["last"] = _last(events_of(session, shipment), state, language, zone)
    body = fill_lines(text.body, values)
    if _is_coming(state, shipment.arrives, now.astimezone(zone).date()) and values["arrives"] not in body:
        expected = said_in("expected", language, day=values["arrives"])
        above, _, signature = body.rstrip("\n").rpartition("\n\n")
        body = f"{above}\n{expected}\n\n{signature}\n"
    return body


def _last(events: Sequence[TrackingEvent], state: TrackingState, language: str, zone: ZoneInfo) -> str:
    seen = next((event for event in events if event.state == state), events[0] if events else None)
    if seen is None:
        return state_in(state, language)
    day = day_in(seen.at.astimezone(zone).date(), language)
    return ", ".join(part for part in (state_in(state, language), seen.spot, day) if part)


def _is_coming(state: TrackingState, arrives: date | None, today: date) -> bool:
    coming = {TrackingState.ANNOUNCED, TrackingState.ACCEPTED, TrackingState.MOVING}
    return state in coming and arrives is not None and arrives >= today
