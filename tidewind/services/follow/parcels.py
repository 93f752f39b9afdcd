"""Keep every event that carriers tell of parcels, and know where each parcel stands."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, defaultload

from tidewind.core.messages.triggers import trigger_of
from tidewind.core.states.labels import LabelState
from tidewind.core.tracking.folding import Heard, Standing, fold, together
from tidewind.core.tracking.states import FINAL, TrackingState
from tidewind.db.bulk import Columns
from tidewind.db.tables import Channel, Label, Order, Shipment, TrackingEvent
from tidewind.outside.carrier import CarrierEvent
from tidewind.services.base import NotFound
from tidewind.services.follow.announcing import Occasion, announce, told_of
from tidewind.services.follow.telling import tell_of_delivery

NEAR, USUALLY, SELDOM = timedelta(minutes=20), timedelta(hours=2), timedelta(hours=12)
"""How long until a parcel is looked at again: near its door, on its way, and when nothing moves (shop policy)."""
NOTHING_MOVES = timedelta(days=2)
CLOCKS_DIFFER = timedelta(minutes=5)
"""So far a carrier's clock may go before ours (shop policy)."""
Told = Mapping[int, Sequence[CarrierEvent]]
# A page that thousands look at reads of an order no more than it shows.
_ORDER = defaultload(Shipment.order)
LOST_FOR = timedelta(days=60)
"""A lost parcel is spoken of so long, unless somebody has seen to it (shop policy)."""


def take_events(session: Session, shipment: Shipment, told: Told, base_url: str, now: datetime) -> None:
    """Keep what was told of a shipment's parcels, by label; stand them and the shipment where all events say."""
    take_many(session, [shipment], told, base_url, now)


def take_many(session: Session, shipments: Sequence[Shipment], told: Told, base_url: str, now: datetime) -> None:
    """Keep what was told of shipments, by label, stand each where all its events say, and tell what is news."""
    mine = {label.id for shipment in shipments for label in shipment.labels}
    rows = [_row(label_id, event, now) for label_id, events in told.items() if label_id in mine for event in events]
    if rows:
        session.execute(insert(TrackingEvent).on_conflict_do_nothing(), rows)
    standings = stand(session, [label for shipment in shipments for label in shipment.labels], now)
    ahead = _ahead(session, mine, now)
    occasions = []
    for shipment in shipments:
        its = [standings[label.id] for label in shipment.labels]
        before, state = shipment.tracking_state, together([one.state for one in its])
        if state is TrackingState.DELIVERED and before != state:
            tell_of_delivery(session, shipment, now)
        shipment.tracking_state, shipment.next_look_at = state, _next_look(its, now)
        if held := [at for label in shipment.labels for at in ahead.get(label.id, ())]:
            shipment.next_look_at = min([*held, *([shipment.next_look_at] if shipment.next_look_at else [])])
        trigger = trigger_of(before, state, next((one.reason for one in its if one.state is state and one.reason), ""))
        if trigger == "not_delivered" and not told_of(session, shipment.id, "delivered"):
            trigger = trigger_of("", state)  # nobody was told that it had arrived
        if trigger is not None:
            last = max((one.last for one in its if one.last), key=lambda heard: heard.at)
            occasions.append(Occasion(shipment, trigger, last.at, state, last.spot))
    announce(session, occasions, base_url, now)


def _row(label_id: int, event: CarrierEvent, now: datetime) -> Columns:
    return {
        "label_id": label_id,
        "at": event.at,
        "state": event.state or "",
        "words": event.words,
        "spot": event.spot,
        "code": event.code,
        "reason": event.reason,
        "event_id": event.id,
        "takes_back": event.takes_back,
        "heard_at": now,
    }


def _ahead(session: Session, label_ids: Collection[int], now: datetime) -> dict[int, list[datetime]]:
    """Return when events will be that a carrier tells of with an hour ahead of ours, by label."""
    found: defaultdict[int, list[datetime]] = defaultdict(list)
    of = (TrackingEvent.label_id.in_(label_ids), TrackingEvent.at > now + CLOCKS_DIFFER)
    for label_id, at in session.execute(select(TrackingEvent.label_id, TrackingEvent.at).where(*of)):
        found[label_id].append(at)
    return found


def stand(session: Session, labels: Sequence[Label], now: datetime) -> dict[int, Standing]:
    """Write on labels where their events say that they stand, and return it by label.

    What is told with an hour ahead of ours has not happened yet: it counts when its hour has come.
    """
    every = heard_of(session, [label.id for label in labels])
    heard = {label_id: [one for one in told if one.at <= now + CLOCKS_DIFFER] for label_id, told in every.items()}
    found = {label.id: fold(heard.get(label.id, ())) for label in labels}
    for label in labels:
        standing = found[label.id]
        label.tracking_state, label.tracking_since = standing.state, standing.since
        label.tracking_reason = standing.reason
        label.last_event_at = standing.last.at if standing.last else None
        scanned = [one.at for one in standing.events if one.state not in {None, TrackingState.ANNOUNCED}]
        if label.handed_over_at is None and standing.state is not TrackingState.ANNOUNCED and scanned:
            # Its carrier has it, whatever day it was moved to and whoever counted: it lies here no more.
            label.handed_over_at = min(scanned)
    return found


def heard_of(session: Session, label_ids: Collection[int]) -> dict[int, list[Heard]]:
    """Return all that was heard of parcels, by label."""
    found: defaultdict[int, list[Heard]] = defaultdict(list)
    for row in session.scalars(select(TrackingEvent).where(TrackingEvent.label_id.in_(label_ids))):
        state = TrackingState(row.state) if row.state else None
        heard = Heard(row.at, state, row.event_id, row.takes_back, row.reason, row.words, row.spot, row.heard_at)
        found[row.label_id].append(heard)
    return found


def _next_look(standings: Iterable[Standing], now: datetime) -> datetime | None:
    """Return when to look again: often near the door, seldom when nothing moves, never when all is over.

    What is lost is looked for, too, for as long as it is spoken of: it may turn up.
    """
    waits = []
    for standing in standings:
        over = standing.last is not None and now - standing.last.at > LOST_FOR
        if standing.state in FINAL and (standing.state is not TrackingState.LOST or over):
            continue
        near = standing.state in {TrackingState.ANNOUNCED, TrackingState.OUT_FOR_DELIVERY}
        quiet = standing.last is not None and now - standing.last.at > NOTHING_MOVES
        waits.append(SELDOM if quiet else NEAR if near else USUALLY)
    return now + min(waits) if waits else None


def public_view(session: Session, tracking_key: str) -> tuple[Shipment, Sequence[TrackingEvent]]:
    """Return a shipment by its unguessable key, with its events newest first.  Raises NotFound."""
    shipment = session.scalar(
        select(Shipment)
        .where(Shipment.tracking_key == tracking_key, Shipment.state.in_(LabelState.TRAVELS))
        .options(_ORDER.load_only(Order.number), _ORDER.lazyload(Order.lines), _ORDER.lazyload(Order.snags))
        .options(_ORDER.joinedload(Order.channel).load_only(Channel.brand))
    )
    if shipment is None:
        raise NotFound("unknown_parcel", "There is no parcel at this address. Check the link in your mail.")
    return shipment, events_of(session, shipment)


def events_of(session: Session, shipment: Shipment) -> Sequence[TrackingEvent]:
    """Return a shipment's tracking events that say something, newest first."""
    return session.scalars(
        select(TrackingEvent)
        .join(Label, Label.id == TrackingEvent.label_id)
        .where(Label.shipment_id == shipment.id, TrackingEvent.state != "")
        .order_by(TrackingEvent.at.desc(), TrackingEvent.id.desc())
    ).all()
