"""The day's handovers: which there are, when their cut-offs are, and how far each has come."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tidewind.core.calendar import first_leaving_day
from tidewind.core.options import timetable_of
from tidewind.core.order_facts import Carrier
from tidewind.core.stored import NO_ADDRESS
from tidewind.db.tables import CarrierRow, Departure, Label, Order, Place, Shipment
from tidewind.services.base import Conflict
from tidewind.services.planning import carriers_in_force, closed_days, shop_settings


@dataclass(frozen=True, slots=True)
class DepartureCounts:
    """One departure with its counts: labels printed and bought, orders still to buy, and stopped ones among them."""

    carrier: str
    network: str
    name: str
    monogram: str
    day: date
    cutoff_at: datetime
    printed: int
    bought: int
    to_buy: int
    to_buy_minor: int
    order_ids: tuple[int, ...]


def cutoff_at(carrier: Carrier, network_id: str, day: date) -> datetime:
    """Return the cut-off instant of a network on a day."""
    network = next(n for n in carrier.own.card.networks if n.id == network_id)
    return datetime.combine(day, network.cutoff, ZoneInfo(carrier.own.card.time_zone))


def default_place(session: Session) -> Place:
    """Return the place that parcels leave from.  Raises Conflict where none is set."""
    place = session.scalar(select(Place).where(Place.is_default))
    if place is None:
        raise Conflict("no_place", "No place is set that parcels leave from. Add one in Set-up, Places.")
    return place


def departure_for(session: Session, carrier: Carrier, network: str, place_id: int, day: date) -> int:
    """Return the id of the one departure for carrier, network, place and day, making it at need."""
    values = {
        "carrier": carrier.code, "network": network, "place_id": place_id, "day": day,
        "cutoff_at": cutoff_at(carrier, network, day), "state": "open",
    }  # fmt: skip
    session.execute(insert(Departure).values(**values).on_conflict_do_nothing())
    found = session.scalar(
        select(Departure.id).where(
            Departure.carrier == carrier.code,
            Departure.network == network,
            Departure.place_id == place_id,
            Departure.day == day,
        )
    )
    if found is None:
        raise Conflict("no_departure", "The departure could not be made; try again.")
    return found


def todays_departures(session: Session, now: datetime) -> list[DepartureCounts]:
    """Return today's departures, or the next working day's where no cut-off is left, in the order of their cut-offs."""
    shop = shop_settings(session)
    today, closed = now.astimezone(ZoneInfo(shop.time_zone)).date(), closed_days(shop)
    carriers = carriers_in_force(session, today)
    place = session.scalar(select(Place.address).where(Place.is_default))
    start = place or NO_ADDRESS
    for day in (today, today + timedelta(days=1)):
        states = [
            _state(
                session,
                carrier,
                network.id,
                network.name,
                first_leaving_day(day, timetable_of(carrier, network.id, start, closed)),
            )
            for carrier in carriers
            for network in carrier.own.card.networks
        ]
        if any(s.cutoff_at > now or s.bought or s.printed for s in states) or day > today:
            return sorted(states, key=lambda s: (s.cutoff_at, s.name))
    return []


def _state(session: Session, carrier: Carrier, network: str, name: str, day: date) -> DepartureCounts:
    bought = session.execute(
        select(func.count(Label.id), func.count(Label.printed_at))
        .join(Shipment, Shipment.id == Label.shipment_id)
        .join(Departure, Departure.id == Shipment.departure_id)
        .where(Departure.carrier == carrier.code, Departure.network == network, Departure.day == day)
        .where(Shipment.state == "bought")
    ).one()
    waiting = session.execute(
        select(Order.id, Order.price_minor)
        .where(Order.state == "open", Order.carrier == carrier.code, Order.network == network, Order.ship_date == day)
        .order_by(Order.id)
    ).all()
    monogram = session.scalar(select(CarrierRow.monogram).where(CarrierRow.code == carrier.code))
    return DepartureCounts(
        carrier=carrier.code,
        network=network,
        name=name,
        monogram=monogram or "",
        day=day,
        cutoff_at=cutoff_at(carrier, network, day),
        printed=bought[1],
        bought=bought[0] - bought[1],
        to_buy=len(waiting),
        to_buy_minor=sum(price or 0 for _, price in waiting),
        order_ids=tuple(order_id for order_id, _ in waiting),
    )
