"""Follow parcels: ask the carriers, keep their events, know where each shipment stands."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.states.labels import LabelState
from tidewind.core.tracking import FINAL, TrackingState, state_after
from tidewind.db.tables import CarrierRow, Label, Shipment, TrackingEvent
from tidewind.outside.carrier import CarrierEvent
from tidewind.outside.errors import OutsideError
from tidewind.services.base import NotFound, Outside, each_by_itself
from tidewind.services.follow.telling import tell_of_delivery

LOOK_AGAIN = timedelta(minutes=20)


def follow_parcels(
    sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime], limit: int = 200
) -> int:
    """Ask the carriers about the shipments that are due; return how many were asked about."""
    with sessions() as session:
        due = session.scalars(
            select(Shipment.id)
            .where(Shipment.state.in_(LabelState.TRAVELS), Shipment.next_look_at <= clock())
            .order_by(Shipment.next_look_at)
            .limit(limit)
        ).all()
    return len(each_by_itself("follow", due, lambda shipment_id: _follow(sessions, outside, shipment_id, clock())))


def _follow(sessions: sessionmaker[Session], outside: Outside, shipment_id: int, now: datetime) -> None:
    with sessions() as session:
        shipment = session.get_one(Shipment, shipment_id)
        carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == shipment.carrier)).one()
        numbers = [(label.id, label.tracking_number) for label in shipment.labels if label.tracking_number]
    client = outside.carrier(carrier)
    told: list[tuple[int, CarrierEvent]] = []
    for label_id, number in numbers:
        try:
            told += [(label_id, event) for event in client.events(number)]
        except OutsideError:
            continue  # this carrier's trouble is its own: the parcel is looked at again next time
    with sessions.begin() as session:
        shipment = session.get_one(Shipment, shipment_id)
        state = TrackingState(shipment.tracking_state)
        for label_id, event in sorted(told, key=lambda pair: pair[1].at):
            row = {"label_id": label_id, "at": event.at, "state": event.state, "words": event.words, "spot": event.spot}
            session.execute(insert(TrackingEvent).values(row).on_conflict_do_nothing())
            state = state_after(state, event.state)
        if state is TrackingState.DELIVERED and shipment.tracking_state != state:
            tell_of_delivery(session, shipment, now)
        shipment.tracking_state = state
        shipment.next_look_at = None if state in FINAL else now + LOOK_AGAIN


def public_view(session: Session, tracking_key: str) -> tuple[Shipment, Sequence[TrackingEvent]]:
    """Return a shipment by its unguessable key, with its events newest first.  Raises NotFound."""
    shipment = session.scalar(
        select(Shipment).where(Shipment.tracking_key == tracking_key, Shipment.state.in_(LabelState.TRAVELS))
    )
    if shipment is None:
        raise NotFound("unknown_parcel", "There is no parcel at this address. Check the link in your mail.")
    return shipment, events_of(session, shipment)


def events_of(session: Session, shipment: Shipment) -> Sequence[TrackingEvent]:
    """Return a shipment's tracking events, newest first."""
    return session.scalars(
        select(TrackingEvent)
        .join(Label, Label.id == TrackingEvent.label_id)
        .where(Label.shipment_id == shipment.id)
        .order_by(TrackingEvent.at.desc(), TrackingEvent.id.desc())
    ).all()
