"""Follow parcels: ask the carriers, keep every event they tell, know where each parcel stands."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Sequence
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.states.labels import LabelState
from tidewind.core.tracking.folding import Heard, Standing, fold, together
from tidewind.core.tracking.states import FINAL, TrackingState
from tidewind.db.tables import CarrierRow, Label, Shipment, TrackingEvent
from tidewind.outside.carrier import CarrierEvent
from tidewind.outside.errors import MaybeDone, NeverSent, NotBelieved, OutsideError
from tidewind.services.base import NotFound, Outside, each_by_itself
from tidewind.services.follow.telling import tell_of_delivery

NEAR, USUALLY, SELDOM = timedelta(minutes=20), timedelta(hours=2), timedelta(hours=12)
"""How long until a parcel is looked at again: near its door, on its way, and when nothing moves (shop policy)."""
NOTHING_MOVES = timedelta(days=2)
AFTER_SILENCE = timedelta(minutes=10)
LOST_FOR = timedelta(days=60)
"""A lost parcel is spoken of so long, unless somebody has seen to it (shop policy)."""


def follow_parcels(
    sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime], limit: int = 200
) -> int:
    """Ask the carriers about the shipments that are due; return how many were asked about.

    A carrier that does not answer is not asked about its other parcels in this round, and delays nobody else's.
    """
    with sessions() as session:
        due = session.execute(
            select(Shipment.id, Shipment.carrier)
            .where(Shipment.state.in_(LabelState.TRAVELS), Shipment.next_look_at <= clock())
            .order_by(Shipment.next_look_at)
            .limit(limit)
        ).all()
    carrier_of: dict[int, str] = {shipment_id: carrier for shipment_id, carrier in due}  # noqa: C416 - rows, not pairs
    away = set[str]()

    def look(shipment_id: int) -> None:
        if carrier_of[shipment_id] in away:
            _put_off(sessions, shipment_id, clock() + AFTER_SILENCE)
        elif not _follow(sessions, outside, shipment_id, clock()):
            away.add(carrier_of[shipment_id])

    return len(each_by_itself("follow", carrier_of, look))


def _follow(sessions: sessionmaker[Session], outside: Outside, shipment_id: int, now: datetime) -> bool:
    """Ask about a shipment's parcels and keep what is told; tell whether the carrier was there."""
    with sessions() as session:
        shipment = session.get_one(Shipment, shipment_id)
        carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == shipment.carrier)).one()
        numbers = [(label.id, label.tracking_number) for label in shipment.labels if label.tracking_number]
    client = outside.carrier(carrier)
    told: dict[int, list[CarrierEvent]] = {}
    for label_id, number in numbers:
        try:
            told[label_id] = client.events(number)
        except NotBelieved:
            continue  # this parcel's trouble is its own: it is looked at again next time
        except (NeverSent, MaybeDone):
            _put_off(sessions, shipment_id, now + AFTER_SILENCE)
            return False
        except OutsideError:
            continue
    with sessions.begin() as session:
        take_events(session, session.get_one(Shipment, shipment_id, with_for_update={"of": Shipment}), told, now)
    return True


def _put_off(sessions: sessionmaker[Session], shipment_id: int, until: datetime) -> None:
    with sessions.begin() as session:
        session.get_one(Shipment, shipment_id).next_look_at = until


def take_events(session: Session, shipment: Shipment, told: dict[int, list[CarrierEvent]], now: datetime) -> None:
    """Keep what was told of a shipment's parcels, by label; stand them and the shipment where all events say."""
    rows = [
        {
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
        for label_id, events in told.items()
        for event in events
    ]
    if rows:
        session.execute(insert(TrackingEvent).on_conflict_do_nothing(), rows)
    standings = stand(session, shipment.labels)
    state = together([standings[label.id].state for label in shipment.labels])
    if state is TrackingState.DELIVERED and shipment.tracking_state != state:
        tell_of_delivery(session, shipment, now)
    shipment.tracking_state = state
    shipment.next_look_at = _next_look(standings.values(), now)


def stand(session: Session, labels: Sequence[Label]) -> dict[int, Standing]:
    """Write on labels where their events say that they stand, and return it by label."""
    heard = heard_of(session, [label.id for label in labels])
    found = {label.id: fold(heard[label.id]) for label in labels}
    for label in labels:
        standing = found[label.id]
        label.tracking_state, label.tracking_since = standing.state, standing.since
        label.tracking_reason = standing.reason
        label.last_event_at = standing.last.at if standing.last else None
    return found


def heard_of(session: Session, label_ids: Collection[int]) -> dict[int, list[Heard]]:
    """Return all that was heard of parcels, by label."""
    found: defaultdict[int, list[Heard]] = defaultdict(list)
    for row in session.scalars(select(TrackingEvent).where(TrackingEvent.label_id.in_(label_ids))):
        state = TrackingState(row.state) if row.state else None
        heard = Heard(row.at, state, row.event_id, row.takes_back, row.reason, row.words, row.spot)
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
        select(Shipment).where(Shipment.tracking_key == tracking_key, Shipment.state.in_(LabelState.TRAVELS))
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
