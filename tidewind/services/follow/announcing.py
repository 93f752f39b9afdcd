"""Tell buyers what happened to their orders, once for each cause; what is not told is written down with its why."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, cast
from zoneinfo import ZoneInfo

from sqlalchemy import exists, func, select
from sqlalchemy.dialects.postgresql import distinct_on, insert
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.addresses.mail import is_mail_address
from tidewind.core.messages.deciding import Buyer, Decided, Way, decide, plain_address
from tidewind.core.messages.filling import fill, fill_lines
from tidewind.core.messages.triggers import OLD_NEWS, OVERTAKEN, Trigger
from tidewind.core.messages.truth import Known, overtaken
from tidewind.core.states.labels import LabelState
from tidewind.core.tracking.states import TrackingState
from tidewind.db.bulk import Columns
from tidewind.db.tables import BlockedAddress, CarrierRow, Departure, Label, Message, Order, Shipment, TrackingEvent
from tidewind.services.base import Outside, defer
from tidewind.services.follow.texts import day_in, language_of, state_in
from tidewind.services.follow.wording import ChannelWords, words_by_channel
from tidewind.services.planning import shop_day, shop_settings

MOST_ALSO = 5
LATE_FOR = timedelta(days=5)
"""A parcel that was due longer ago is not told to be late by itself any more (shop policy)."""
BLOCKED = {
    "bounced": "mail to it came back",
    "complained": "its owner complained",
    "asked": "its owner wants no more",
    "by_hand": "it was blocked by hand",
}
_WHY: dict[Trigger, str] = {
    "label": "a label was bought for the order",
    "handed_over": "its parcels were handed over",
    "late": "it is later than was said",
    "refund": "a refund was noted",
}


@dataclass(frozen=True, slots=True)
class Occasion:
    """Something that happened to a shipment, when, and what its carrier said of it last, where that is known.

    ``heard`` is when the carrier said it, where that is not when it happened: a parcel is late without a word.
    """

    shipment: Shipment
    trigger: Trigger
    at: datetime
    state: str = ""
    spot: str = ""
    heard: datetime | None = None


def announce(session: Session, occasions: Sequence[Occasion], base_url: str, now: datetime) -> int:
    """Write what buyers are told of, in the transaction in which it happened; return how many messages will go."""
    if not occasions:
        return 0
    writer = _Writer(session, occasions, base_url, now)
    rows = [row for occasion in occasions for row in writer.rows(occasion)]
    if rows:
        session.execute(insert(Message).on_conflict_do_nothing(), rows)
    going = sum(not row["not_sent"] for row in rows)
    if going:
        # A little later: while a batch is being bought, its labels come first.
        defer(session, "send_followups", lock="send_followups", in_seconds=3)
    return going


class _Writer:
    """Everything that the messages about some shipments are made of, read once."""

    def __init__(self, session: Session, occasions: Sequence[Occasion], base_url: str, now: datetime) -> None:
        shop, shipments = shop_settings(session), [o.shipment for o in occasions]
        self.base_url, self.brand, self.now = base_url, shop.brand, now
        self.local = now.astimezone(ZoneInfo(shop.time_zone))
        self.words = words_by_channel(session)
        self.brands = {s.order.channel_id: s.order.channel.brand for s in shipments}
        self.carriers = dict(session.execute(select(CarrierRow.code, CarrierRow.name)).all())
        self.blocked = blocked_of(session, [a for s in shipments for a in (*_addresses(s).values(), *_also(s.order))])
        self.told: defaultdict[int, set[tuple[Trigger, Way]]] = defaultdict(set)
        self.kinds: Counter[tuple[int, str]] = Counter()
        self._read_told(session, [s.id for s in shipments])

    def _read_told(self, session: Session, shipment_ids: Collection[int]) -> None:
        """Read what was told before; what was withdrawn, or taken back since, may be told once more."""
        told = (
            select(Message.shipment_id, Message.trigger, Message.by, Message.kind, Message.not_sent, Message.sent_at)
            .where(Message.shipment_id.in_(shipment_ids), Message.trigger != "")
            .order_by(Message.id)
        )
        for shipment_id, trigger, way, kind, not_sent, sent_at in session.execute(told):
            self.kinds[shipment_id, kind.partition("#")[0]] += 1
            if not_sent.startswith(OVERTAKEN):
                continue
            mine = self.told[shipment_id]
            mine.add((cast(Trigger, trigger), cast(Way, way)))
            takes_back: Trigger = "delivered" if trigger == "not_delivered" else "not_delivered"
            if trigger in {"delivered", "not_delivered"} and sent_at is not None:
                mine.discard((takes_back, cast(Way, way)))

    def rows(self, occasion: Occasion) -> Iterator[Columns]:
        """Return the messages about one occasion, and those that are not sent."""
        shipment, words = occasion.shipment, self.words[occasion.shipment.order.channel_id]
        buyer = Buyer(_addresses(shipment), self.blocked, self.told[shipment.id])
        decided = decide(occasion.trigger, words.rules, buyer, occasion.at, self.local)
        for one in decided:
            if one.not_sent == "they were told of this already":
                continue
            yield self._row(occasion, words, one, "" if one.way == "mail" else ":sms")
        mailed = next((one for one in decided if one.way == "mail" and (not one.not_sent or one.only_them)), None)
        for n, address in enumerate(_also(shipment.order) if mailed else (), 1):
            also = Buyer({"mail": address}, self.blocked, buyer.told_before)
            for one in decide(occasion.trigger, words.rules, also, occasion.at, self.local):
                if one.way == "mail" and one.not_sent != "they were told of this already":
                    yield self._row(occasion, words, one, f":also{n}")

    def _row(self, occasion: Occasion, words: ChannelWords, one: Decided, ending: str) -> Columns:
        shipment, trigger = occasion.shipment, occasion.trigger
        language = words.language or language_of(shipment.address.country)
        text, values = words.text(trigger, language), self._values(occasion, language)
        body = fill(text.sms, values) if one.way == "sms" else fill_lines(text.body, values)
        if one.way == "mail" and shipment.order.own_line:
            body = with_own_line(body, shipment.order.own_line)
        said = state_in(occasion.state, "en") if occasion.state else ""
        return {
            "shipment_id": shipment.id,
            "kind": self._kind(shipment.id, f"{trigger}{ending}"),
            "trigger": trigger,
            "by": one.way,
            "language": language,
            "recipient": one.to,
            "subject": fill(text.subject, values)[:200],
            "body": body,
            "reason": _WHY.get(trigger) or f"the carrier says: {said}",
            "not_sent": one.not_sent,
            "next_at": one.at or self.now,
        }

    def _kind(self, shipment_id: int, kind: str) -> str:
        """Return the kind of a message, which is one of a shipment: told once more, it has a number."""
        before = self.kinds[shipment_id, kind]
        return f"{kind}#{before + 1}" if before else kind

    def _values(self, occasion: Occasion, language: str) -> dict[str, str]:
        shipment = occasion.shipment
        day = day_in((occasion.heard or occasion.at).astimezone(self.local.tzinfo).date(), language)
        said = state_in(occasion.state, language) if occasion.state else ""
        brand = self.brands.get(shipment.order.channel_id) or self.brand
        carrier = self.carriers.get(shipment.carrier, shipment.carrier)
        return message_values(shipment, carrier, brand, self.base_url, language) | {
            "last": ", ".join(part for part in (said, occasion.spot, day if said else "") if part),
        }


def tracking_url(base_url: str, shipment: Shipment) -> str:
    """Return the address of a shipment's public page; it cannot be guessed."""
    return f"{base_url}/t/{shipment.tracking_key}"


def message_values(shipment: Shipment, carrier: str, brand: str, base_url: str, language: str) -> dict[str, str]:
    """Return what a shipment fills the fields of a message with; ``last`` stays empty."""
    return {
        "name": shipment.address.name or shipment.address.company,
        "order": shipment.order.number,
        "carrier": carrier,
        "service": shipment.service_name,
        "numbers": ", ".join(label.tracking_number or "" for label in shipment.labels),
        "arrives": day_in(shipment.arrives, language) if shipment.arrives else "",
        "last": "",
        "link": tracking_url(base_url, shipment),
        "shop": brand,
    }


def with_own_line(body: str, line: str) -> str:
    """Return a mail with the personal line of its order, above the signature."""
    above, _, signature = body.rstrip("\n").rpartition("\n\n")
    return f"{above}\n\n{' '.join(line.split())}\n\n{signature}\n"


def _addresses(shipment: Shipment) -> dict[Way, str]:
    to = shipment.address
    return {"mail": to.email, "sms": to.phone}


def _also(order: Order) -> tuple[str, ...]:
    return tuple(str(one) for one in order.also_tell[:MOST_ALSO] if is_mail_address(str(one)))


def blocked_of(session: Session, addresses: Collection[str]) -> Mapping[str, str]:
    """Return those addresses, plain, to which nothing is sent, and why."""
    plain = {plain_address(address) for address in addresses if address}
    query = select(BlockedAddress.address, BlockedAddress.why).where(BlockedAddress.address.in_(plain))
    return {address: BLOCKED[why] for address, why in session.execute(query)}


def tell_what_happened(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> int:
    """Tell buyers of what no carrier says: parcels that were handed over, and those that are late; return how many."""
    now = clock()
    with sessions.begin() as session:
        words, found = words_by_channel(session), list[Occasion]()
        if channels := _telling(words, "handed_over"):
            found += [Occasion(s, "handed_over", at) for s, at in _handed_over(session, channels, now)]
        if channels := _telling(words, "late"):
            found += _late(session, channels, now)
        return announce(session, found, outside.base_url, now)


def _telling(words: Mapping[int | None, ChannelWords], trigger: Trigger) -> list[int]:
    """Return the channels whose buyers we tell of something."""
    told = ((channel_id, one.rules.of(trigger)) for channel_id, one in words.items() if channel_id is not None)
    return [channel_id for channel_id, one in told if one.mail or one.sms]


def _untold(trigger: Trigger, channels: Collection[int]) -> Any:
    told = exists().where(
        Message.shipment_id == Shipment.id, Message.trigger == trigger, ~Message.not_sent.startswith(OVERTAKEN)
    )
    return ~told & Shipment.order_id.in_(select(Order.id).where(Order.channel_id.in_(channels)))


def _handed_over(session: Session, channels: Collection[int], now: datetime) -> Sequence[tuple[Shipment, datetime]]:
    query = (
        select(Shipment, func.max(Departure.handed_over_at))
        .join(Label, Label.shipment_id == Shipment.id)
        .join(Departure, Departure.id == Label.departure_id)
        .where(Departure.handed_over_at > now - OLD_NEWS, Shipment.state.in_(LabelState.TRAVELS))
        .where(_untold("handed_over", channels))
        .group_by(Shipment.id)
        .limit(1_000)
    )
    return cast(Sequence[tuple[Shipment, datetime]], session.execute(query).all())


def _late(session: Session, channels: Collection[int], now: datetime) -> Sequence[Occasion]:
    """Return the parcels that are late and on their way, with the last thing that was heard of each and when."""
    today = shop_day(session, now)
    query = (
        select(Shipment)
        .where(Shipment.state.in_(LabelState.TRAVELS), Shipment.tracking_state.in_(["accepted", "moving"]))
        .where(Shipment.arrives < today, Shipment.arrives >= today - LATE_FOR, _untold("late", channels))
        .order_by(Shipment.id)
        .limit(1_000)
    )
    late = session.scalars(query).all()
    spots = _last_spots(session, [label.id for shipment in late for label in shipment.labels])
    found = []
    for shipment in late:
        heard = [(label.last_event_at, label.id) for label in shipment.labels if label.last_event_at]
        at, label_id = max(heard, default=(None, 0))
        found.append(Occasion(shipment, "late", now, shipment.tracking_state, spots.get(label_id, ""), at))
    return found


def _last_spots(session: Session, label_ids: Collection[int]) -> Mapping[int, str]:
    """Return where each parcel was last scanned, by label."""
    newest = (TrackingEvent.label_id, TrackingEvent.at.desc(), TrackingEvent.id.desc())
    query = (
        select(TrackingEvent.label_id, TrackingEvent.spot).order_by(*newest).ext(distinct_on(TrackingEvent.label_id))
    )
    rows = session.execute(query.where(TrackingEvent.label_id.in_(label_ids))).all()
    return {label_id: spot for label_id, spot in rows}  # noqa: C416 - rows are no pairs to the type checker


def overtaken_by_now(session: Session, message: Message, now: datetime) -> str:
    """Return why what a message tells its buyer would be false now, for the log; nothing where it is true."""
    if not message.trigger:
        return ""
    shipment = session.get_one(Shipment, message.shipment_id)
    late = shipment.arrives is not None and shipment.arrives < shop_day(session, now)
    known = Known(
        shipment.state in LabelState.TRAVELS,
        TrackingState(shipment.tracking_state),
        any(label.handed_over_at for label in shipment.labels),
        late,
    )
    return overtaken(cast(Trigger, message.trigger), known)


def told_of(session: Session, shipment_id: int, trigger: Trigger) -> bool:
    """Tell whether anybody has been sent a message about something."""
    sent = select(Message.id).where(
        Message.shipment_id == shipment_id, Message.trigger == trigger, Message.sent_at.is_not(None)
    )
    return session.scalar(sent.limit(1)) is not None
