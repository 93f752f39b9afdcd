"""Departures whose day is over: what the carrier has scanned went with them, the rest falls to the next one."""

from __future__ import annotations

from collections.abc import Callable, Collection
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import exists, select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.states.departures import DEPARTURE_MOVES, DepartureMove, DepartureState
from tidewind.core.states.pickups import PickupState
from tidewind.core.tracking.states import TrackingState
from tidewind.db.tables import CarrierRow, Departure, Label, Pickup, Shipment
from tidewind.services.base import each_by_itself, move_row
from tidewind.services.handover.leaving import goes, labels_in, stays_behind
from tidewind.services.handover.stopped import MAY_GO
from tidewind.services.planning import carriers_in_force, shop_day, shop_settings

SETTLED_AT = time(6, 0)
"""On the morning after a departure it is known what the carrier has scanned of it (shop policy)."""
NOBODY = "nobody fetched it and nothing says that it was brought"


def pass_departures(sessions: sessionmaker[Session], clock: Callable[[], datetime]) -> dict[int, str]:
    """Settle the departures whose day is over and that nobody has handed over; return what became of each.

    One whose van is still being waited for is left to its pickup.
    """
    with sessions() as session:
        now = clock().astimezone(ZoneInfo(shop_settings(session).time_zone))
        last = now.date() - timedelta(days=1 if now.time() >= SETTLED_AT else 2)
        waited_for = exists().where(Pickup.departure_id == Departure.id, Pickup.state.in_(PickupState.STANDS))
        holds = exists().where(Label.departure_id == Departure.id, Shipment.id == Label.shipment_id, MAY_GO)
        due = session.scalars(
            select(Departure.id)
            .where(Departure.day <= last, Departure.state != DepartureState.HANDED_OVER, holds, ~waited_for)
            .where(Departure.recount == "")  # what went of it is what somebody is finding out
            .order_by(Departure.id)
        ).all()
    return each_by_itself("pass departures", due, lambda one: _pass(sessions, one, clock()))


def _pass(sessions: sessionmaker[Session], departure_id: int, now: datetime) -> str:
    with sessions.begin() as session:
        departure = session.get_one(Departure, departure_id, with_for_update=True)
        if departure.state == DepartureState.HANDED_OVER:
            return departure.state
        labels = labels_in(session, departure_id)
        went = _went(session, departure, {label.shipment_id for label in labels}, now)
        left = [label.id for label in labels if label.shipment_id not in went]
        if left:
            stays_behind(session, departure, left, NOBODY, now)
            session.flush()
        if len(left) < len(labels) or _some_gone(session, departure_id):
            goes(session, departure, "", "by what the carrier has scanned", now)
        elif left and departure.state != DepartureState.MISSED:
            move_row(departure, DEPARTURE_MOVES, DepartureState, DepartureMove.MISS)
        return departure.state


def _some_gone(session: Session, departure_id: int) -> bool:
    gone = select(Label.id).where(Label.departure_id == departure_id, Label.handed_over_at.is_not(None)).limit(1)
    return session.scalar(gone) is not None


def _went(session: Session, departure: Departure, shipment_ids: Collection[int], now: datetime) -> set[int]:
    """Return the shipments that went: those the carrier has scanned, and those that nobody scans and somebody took.

    What has no tracking (a letter, a carrier that tells nothing) is taken to have gone where no van is waited for, or
    where we have said that we bring it.
    """
    mine = session.scalars(select(Shipment).where(Shipment.id.in_(shipment_ids))).all()
    silent = _silent_services(session, departure, now)
    return {s.id for s in mine if s.tracking_state != TrackingState.ANNOUNCED or silent is None or s.service in silent}


def _silent_services(session: Session, departure: Departure, now: datetime) -> frozenset[str] | None:
    """Return the services of a departure that went without a scan; None for all of them."""
    row = session.scalars(select(CarrierRow).where(CarrierRow.code == departure.carrier)).one()
    today = shop_day(session, now)
    card = next((c.own.card for c in carriers_in_force(session, today) if c.code == departure.carrier), None)
    network = next((n for n in card.networks if n.id == departure.network), None) if card else None
    if not departure.brought and network is not None and network.pickup is not None:
        return frozenset()
    if row.kind == "list" or card is None:
        return None
    return frozenset(service.code for service in card.services if not service.tracked or service.tracking == "none")
