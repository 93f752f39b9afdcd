"""Codes of carriers that nobody has said the meaning of: they are shown, and once explained their events count."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session, aliased

from tidewind.core.tracking.states import REASONS, TrackingState, meaning_of
from tidewind.db.tables import CarrierRow, Label, Shipment, TrackingEvent
from tidewind.services.base import Invalid, NotFound
from tidewind.services.follow.parcels import take_events

MOST_CODES = 50
MEANINGS = (*TrackingState, *(f"{TrackingState.PROBLEM}:{reason}" for reason in REASONS))
"""Everything that a code can mean."""


@dataclass(frozen=True, slots=True)
class UnknownCode:
    """A code of a carrier, the words it came with last, and how many parcels it was said of."""

    carrier: str
    name: str
    code: str
    words: str
    parcels: int


def unknown_codes(session: Session) -> Sequence[UnknownCode]:
    """Return the codes that nobody has explained, the commonest first."""
    rows = session.execute(
        select(
            Shipment.carrier,
            CarrierRow.name,
            TrackingEvent.code,
            func.max(TrackingEvent.words).label("words"),
            func.count(TrackingEvent.label_id.distinct()).label("parcels"),
        )
        .join(Label, Label.id == TrackingEvent.label_id)
        .join(Shipment, Shipment.id == Label.shipment_id)
        .join(CarrierRow, CarrierRow.code == Shipment.carrier)
        .where(TrackingEvent.state == "", TrackingEvent.code != "")
        .group_by(Shipment.carrier, CarrierRow.name, TrackingEvent.code)
        .order_by(func.count(TrackingEvent.label_id.distinct()).desc(), TrackingEvent.code)
        .limit(MOST_CODES)
    )
    return [UnknownCode(*row) for row in rows]


def explain_code(session: Session, carrier: str, code: str, meaning: str, base_url: str, now: datetime) -> int:
    """Say what a carrier's code means, from now on and for all events that came with it; return the parcels it moved.

    Raises NotFound for an unknown carrier, Invalid for a code without text or what is no meaning.
    """
    row = session.scalar(select(CarrierRow).where(CarrierRow.code == carrier).with_for_update())
    if row is None:
        raise NotFound("unknown_carrier", f"There is no carrier {carrier[:30]}.")
    if meaning not in MEANINGS or not code.strip():
        raise Invalid("no_meaning", f"A code means one of: {', '.join(MEANINGS)}.")
    state, reason = meaning_of(meaning)
    row.states = {**row.states, code: meaning}
    shipments = _said_of(session, carrier, code)
    for event in _events(session, carrier, code):
        if _there_already(session, event, state):
            session.delete(event)
        else:
            event.state, event.reason = state, reason
    session.flush()
    for shipment in shipments:
        take_events(session, shipment, {}, base_url, now)
    return len(shipments)


def _events(session: Session, carrier: str, code: str) -> Sequence[TrackingEvent]:
    query = (
        select(TrackingEvent)
        .join(Label, Label.id == TrackingEvent.label_id)
        .join(Shipment, Shipment.id == Label.shipment_id)
        .where(Shipment.carrier == carrier, TrackingEvent.code == code, TrackingEvent.state == "")
    )
    return session.scalars(query.order_by(TrackingEvent.id)).all()


def _there_already(session: Session, event: TrackingEvent, state: TrackingState) -> bool:
    """Tell whether the same was told by another code, too: one event is one row."""
    same = aliased(TrackingEvent)
    query = select(same.id).where(
        same.label_id == event.label_id, same.at == event.at, same.state == state, same.spot == event.spot
    )
    return session.scalar(query.limit(1)) is not None


def _said_of(session: Session, carrier: str, code: str) -> Sequence[Shipment]:
    ids = (
        select(Label.shipment_id)
        .join(TrackingEvent, TrackingEvent.label_id == Label.id)
        .where(TrackingEvent.code == code, TrackingEvent.state == "")
    )
    query = select(Shipment).where(Shipment.carrier == carrier, Shipment.id.in_(ids)).order_by(Shipment.id)
    return session.scalars(query.with_for_update(of=Shipment)).all()
