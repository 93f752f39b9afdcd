"""What goes with a departure and what is left behind: that falls to the next one, and whoever must know hears it."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from tidewind.core.calendar import Timetable, add_working_days, arrival, first_leaving_day, good_until
from tidewind.core.order_facts import Carrier
from tidewind.core.ship_days import timetable_of
from tidewind.core.states.departures import DEPARTURE_MOVES, DepartureMove, DepartureState
from tidewind.core.subdivisions import working_place
from tidewind.db.tables import Departure, Label, Place, Product, Shipment
from tidewind.services.base import Conflict, Invalid, move_row, write_history
from tidewind.services.handover.departures import DepartureKey, departure_for, lock_departure, plan_what_stays
from tidewind.services.handover.stopped import LIES, MAY_GO
from tidewind.services.planning import carriers_in_force, closed_days, shop_day, shop_settings

MOST_AHEAD = timedelta(days=30)


def goes(session: Session, departure: Departure, driver: str, who: str, now: datetime) -> None:
    """Let a departure go with every label that lies there; what was still planned for it is planned anew.

    One whose count was opened again went when it went the first time.
    """
    move_row(departure, DEPARTURE_MOVES, DepartureState, DepartureMove.HAND_OVER)
    went = departure.handed_over_at or now
    departure.handed_over_at, departure.driver, departure.handed_over_by = went, driver[:120], who[:120]
    mine = select(Shipment.id).where(MAY_GO)
    session.execute(
        update(Label)
        .where(Label.departure_id == departure.id, Label.handed_over_at.is_(None), Label.shipment_id.in_(mine))
        .values(handed_over_at=went)
        .execution_options(synchronize_session="fetch")
    )
    session.flush()
    plan_what_stays(session, departure, "its departure has been handed over", now)


def labels_in(session: Session, departure_id: int, only: Collection[int] | None = None) -> Sequence[Label]:
    """Return the labels that lie at a departure, locked, in the order of their ids; ``only`` some of them."""
    query = (
        select(Label)
        .join(Shipment, Shipment.id == Label.shipment_id)
        .where(Label.departure_id == departure_id, LIES)
        .order_by(Label.id)
        .with_for_update(of=Label)
    )
    if only is not None:
        query = query.where(Label.id.in_(only))
    return session.scalars(query).all()


@dataclass(frozen=True, slots=True)
class Moved:
    """An order whose label goes with another departure: when it arrives then, and whether that misses its promise."""

    order_id: int
    order_number: str
    leaves: date
    before: date | None
    arrives: date | None
    late: bool


def stays_behind(
    session: Session, departure: Departure, only: Collection[int] | None, why: str, now: datetime
) -> list[Moved]:
    """Move labels (None: all that are in it) to the next departure of their truck; return their orders.

    Their arrival is reckoned anew, and each order's record says what became of it.
    """
    left = labels_in(session, departure.id, only)
    if not left:
        return []
    carrier, timetable = _truck(session, departure, now)
    today = now.astimezone(ZoneInfo(timetable.zone)).date()
    day = first_leaving_day(max(today, departure.day + timedelta(days=1)), timetable)
    return _move(session, departure, left, carrier, timetable, day, f"stays here, {why}", now)


def move_pile(session: Session, key: DepartureKey, service: str, to_day: date, who: str, now: datetime) -> list[Moved]:
    """Let the labels of a service leave on another day with the same truck.

    Raises Conflict where the list is closed, the truck has gone, or does not leave on that day; Invalid for a day that
    is over or too far; NotFound for a departure that there is not.
    """
    departure = lock_departure(session, key, now)
    carrier, timetable = _truck(session, departure, now)
    if departure.state not in (DepartureState.OPEN, DepartureState.MISSED):
        raise Conflict("not_open", "Its manifest is closed or it has gone. Open the manifest again first.")
    today = now.astimezone(ZoneInfo(timetable.zone)).date()
    if not today <= to_day <= today + MOST_AHEAD or to_day == departure.day:
        raise Invalid("day", f"Choose another day from today on, at most {MOST_AHEAD.days} days ahead.")
    if now > good_until(to_day, timetable) or first_leaving_day(to_day, timetable) != to_day:
        raise Conflict("no_truck", f"Nothing leaves with this truck on {to_day:%-d %B} any more.")
    mine = (
        select(Label.id)
        .join(Shipment, Shipment.id == Label.shipment_id)
        .where(Label.departure_id == departure.id, Shipment.service == service)
    )
    left = labels_in(session, departure.id, session.scalars(mine).all())
    if not left:
        raise Conflict("nothing_there", "None of these labels is in this departure any more.")
    return _move(session, departure, left, carrier, timetable, to_day, f"moved by {who}", now)


def _move(
    session: Session,
    departure: Departure,
    labels: Sequence[Label],
    carrier: Carrier,
    timetable: Timetable,
    day: date,
    why: str,
    now: datetime,
) -> list[Moved]:
    later = departure_for(session, carrier, departure.network, departure.place_id, day)
    mine = select(Shipment).where(Shipment.id.in_({label.shipment_id for label in labels}))
    shipments = {shipment.id: shipment for shipment in session.scalars(mine.order_by(Shipment.id))}
    for label in labels:
        label.departure_id, label.counted_at = later, None
    weekend = _no_weekend(session, shipments.values())
    moved = []
    for shipment in shipments.values():
        order, before = shipment.order, shipment.arrives
        shipment.arrives = _arrives(shipment, carrier, timetable, day, shipment.id in weekend)
        late = bool(order.promise_date and shipment.arrives and shipment.arrives > order.promise_date)
        words = f"{why}; goes on {day:%-d %B}"
        if shipment.arrives and shipment.arrives != before:
            words += f", arrives {shipment.arrives:%-d %B}" + (" and misses its promise" if late else "")
        write_history(session, order, "Departures", words, now)
        moved.append(Moved(order.id, order.number, day, before, shipment.arrives, late))
    return moved


def _truck(session: Session, departure: Departure, now: datetime) -> tuple[Carrier, Timetable]:
    shop = shop_settings(session)
    today = shop_day(session, now)
    carrier = next((c for c in carriers_in_force(session, today) if c.code == departure.carrier), None)
    if carrier is None:
        raise Conflict("carrier_gone", f"{departure.carrier} is switched off, so nothing of it can go another day.")
    place = session.get_one(Place, departure.place_id)
    return carrier, timetable_of(carrier, departure.network, place.address, closed_days(shop))


def _arrives(shipment: Shipment, carrier: Carrier, timetable: Timetable, day: date, no_weekend: bool) -> date | None:
    """Return when what leaves on a day arrives; as many working days later as it waits where its card is gone."""
    service = carrier.own.services.get(shipment.service)
    transit = service.service.transit.get(shipment.quote.zone) if service else None
    to = working_place(shipment.address)
    if transit is not None:
        return arrival(day, timetable, transit, to, no_weekend=no_weekend).latest
    return add_working_days(shipment.arrives, 1, to) if shipment.arrives else None


def _no_weekend(session: Session, shipments: Collection[Shipment]) -> set[int]:
    """Return the shipments with goods that must not spend a weekend on the way."""
    tender = set(session.scalars(select(Product.sku).where(Product.no_weekend)))
    return {s.id for s in shipments if any(line.sku in tender for line in s.order.lines)}
