"""The day's handovers: which there are, when their cut-offs are, and how far each has come."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from typing import Any, Literal
from zoneinfo import ZoneInfo

from sqlalchemy import BigInteger, cast, func, select
from sqlalchemy.dialects.postgresql import aggregate_order_by, insert
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.calendar import first_leaving_day
from tidewind.core.order_facts import Carrier
from tidewind.core.pickups.when import Where, ask_until, refusal_for
from tidewind.core.ship_days import leaving_from, timetable_of
from tidewind.core.states.departures import DepartureState
from tidewind.core.states.pickups import PickupState
from tidewind.core.tariffs.card import Network
from tidewind.db.tables import CarrierRow, Departure, Label, Order, Pickup, Shipment
from tidewind.services.base import Conflict, NotFound
from tidewind.services.planning import (
    Scope,
    carriers_in_force,
    closed_days,
    default_place,
    home_address,
    replan_some,
    shop_day,
    shop_settings,
)


@dataclass(frozen=True, slots=True)
class DepartureKey:
    """Which handover: a carrier's network on a day, from the default place."""

    carrier: str
    network: str
    day: date


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
    fetched: Fetched = "never"
    ask_until: datetime | None = None
    van_from: time | None = None
    van_until: time | None = None


Fetched = Literal["never", "not_asked", "too_late", "asked", "booked", "done", "missed", "brought", "handed_over"]
"""How a departure leaves: nobody comes for it ever, nobody was asked (any more), or where its pickup stands."""


def cutoff_at(carrier: Carrier, network_id: str, day: date) -> datetime:
    """Return the cut-off instant of a network on a day."""
    network = next(n for n in carrier.own.card.networks if n.id == network_id)
    return datetime.combine(day, network.cutoff, ZoneInfo(carrier.own.card.time_zone))


def departure_for(session: Session, carrier: Carrier, network: str, place_id: int, day: date) -> int:
    """Return the id of the one departure for carrier, network, place and day, making it at need; it stays open.

    Until the transaction ends nobody closes it.  Raises Conflict where somebody has, a moment ago.
    """
    departure = _departure(session, carrier, network, place_id, day, read=True)
    if departure.state != DepartureState.OPEN:
        words = f"The departure of {carrier.name} on {day:%-d %B} takes nothing more since a moment ago."
        raise Conflict("departure_gone", f"{words} Nothing was changed; look at the new plan, and try again.")
    return departure.id


def lock_departure(session: Session, key: DepartureKey, now: datetime) -> Departure:
    """Return the departure with a key, locked, making it at need.  Raises NotFound for a network that there is not."""
    today = shop_day(session, now)
    carrier = next((c for c in carriers_in_force(session, today) if c.code == key.carrier), None)
    if carrier is None or not any(n.id == key.network for n in carrier.own.card.networks):
        raise NotFound("unknown_departure", "There is no such departure.")
    return _departure(session, carrier, key.network, default_place(session).id, key.day, read=False)


def plan_what_stays(session: Session, departure: Departure, why: str, now: datetime) -> None:
    """Plan the waiting orders anew that were to leave with a departure: it takes nothing more, or leaves sooner."""
    mine = (
        (Order.carrier == departure.carrier) & (Order.network == departure.network) & (Order.ship_date == departure.day)
    )
    ids = session.scalars(select(Order.id).where(mine, Scope().clause)).all()
    if ids:
        replan_some(session, why, now, Scope(orders=tuple(ids)))


def _departure(session: Session, carrier: Carrier, network: str, place_id: int, day: date, *, read: bool) -> Departure:
    values = {
        "carrier": carrier.code,
        "network": network,
        "place_id": place_id,
        "day": day,
        "cutoff_at": cutoff_at(carrier, network, day),
        "state": "open",
    }
    session.execute(insert(Departure).values(**values).on_conflict_do_nothing())
    found = session.scalar(
        select(Departure)
        .where(
            Departure.carrier == carrier.code,
            Departure.network == network,
            Departure.place_id == place_id,
            Departure.day == day,
        )
        .with_for_update(read=read)
        .execution_options(populate_existing=True)
    )
    if found is None:
        raise Conflict("no_departure", "The departure could not be made; try again.")
    return found


def todays_departures(session: Session, now: datetime) -> list[DepartureCounts]:
    """Return today's departures, or the next working day's where no cut-off is left, in the order of their cut-offs."""
    shop = shop_settings(session)
    today, closed = shop_day(session, now), closed_days(shop)
    carriers = carriers_in_force(session, today)
    start = home_address(session)
    for day in (today, today + timedelta(days=1)):
        leaving = {
            (carrier.code, network.id): first_leaving_day(
                day, timetable_of(replace(carrier, gone=()), network.id, start, closed)
            )
            for carrier in carriers
            for network in carrier.own.card.networks
        }
        found = _found_on(session, set(leaving.values()))
        states = [
            _counts(carrier, network, leaving[carrier.code, network.id], found, _Asking(now, start, closed))
            for carrier in carriers
            for network in carrier.own.card.networks
        ]
        if any(s.cutoff_at > now or s.bought or s.printed for s in states) or day > today:
            return sorted(states, key=lambda s: (s.cutoff_at, s.name))
    return []


_Key = tuple[str, str, date]
"""A carrier, a network of its, and a day."""
_WHICH = Departure.carrier, Departure.network, Departure.day
_OF_ORDERS = Order.carrier, Order.network, Order.ship_date


@dataclass(frozen=True, slots=True)
class _Way:
    """How far the leaving of one departure has come."""

    state: str = ""
    brought: bool = False
    pickup: str | None = None
    start: time | None = None
    until: time | None = None


@dataclass(frozen=True, slots=True)
class _Found:
    """What is there for all departures of some days: labels and printed ones, waiting orders and their sum, vans."""

    labels: dict[_Key, tuple[int, int]]
    waiting: dict[_Key, tuple[tuple[int, ...], int]]
    ways: dict[_Key, _Way]
    monograms: dict[str, str]


@dataclass(frozen=True, slots=True)
class _Asking:
    """When somebody asks, where parcels leave from, and the stretches of days on which the shop is closed."""

    now: datetime
    start: Address
    closed: tuple[tuple[date, date], ...]


def _key(row: Sequence[Any]) -> _Key:
    return row[0], row[1], row[2]


def _found_on(session: Session, days: set[date]) -> _Found:
    """Read what a screen says about the departures of some days: a statement for each kind, not for each departure."""
    labels = session.execute(
        select(*_WHICH, func.count(Label.id), func.count(Label.printed_at))
        .join(Label, Label.departure_id == Departure.id)
        .join(Shipment, Shipment.id == Label.shipment_id)
        .where(Departure.day.in_(days), Shipment.state == "bought")
        .group_by(*_WHICH)
    )
    waiting = session.execute(
        select(
            *_OF_ORDERS,
            func.array_agg(aggregate_order_by(Order.id, Order.id)),
            cast(func.coalesce(func.sum(Order.price_minor), 0), BigInteger),
        )
        .where(Order.state == "open", Order.ship_date.in_(days), Order.carrier.is_not(None))
        .group_by(*_OF_ORDERS)
    )
    ways = session.execute(
        select(*_WHICH, Departure.state, Departure.brought, Pickup.state, Pickup.start, Pickup.until)
        .outerjoin(Pickup, (Pickup.departure_id == Departure.id) & Pickup.state.in_(_TOLD))
        .where(Departure.day.in_(days))
        .order_by(Pickup.id.nulls_first())  # the newest pickup of a departure is the one that is kept
    )
    return _Found(
        labels={_key(row): (row[3], row[4]) for row in labels},
        waiting={_key(row): (tuple(row[3]), row[4]) for row in waiting},
        ways={_key(row): _Way(*row[3:]) for row in ways},
        monograms={row.code: row.monogram for row in session.execute(select(CarrierRow.code, CarrierRow.monogram))},
    )


def _counts(carrier: Carrier, network: Network, day: date, found: _Found, asking: _Asking) -> DepartureCounts:
    key = carrier.code, network.id, day
    labels, printed = found.labels.get(key, (0, 0))
    order_ids, to_buy_minor = found.waiting.get(key, ((), 0))
    way = found.ways.get(key, _Way())
    fetched, until = _fetched(carrier, network, day, way, asking)
    shown = fetched != "handed_over" and way.start is not None and way.until is not None
    return DepartureCounts(
        carrier=carrier.code,
        network=network.id,
        name=network.name,
        monogram=found.monograms.get(carrier.code, ""),
        day=day,
        cutoff_at=cutoff_at(carrier, network.id, day),
        printed=printed,
        bought=labels - printed,
        to_buy=len(order_ids),
        to_buy_minor=to_buy_minor,
        order_ids=order_ids,
        fetched=fetched,
        ask_until=until,
        van_from=way.start if shown else None,
        van_until=way.until if shown else None,
    )


def _fetched(
    carrier: Carrier, network: Network, day: date, way: _Way, asking: _Asking
) -> tuple[Fetched, datetime | None]:
    """Return how a departure leaves, and until when its van can still be asked for."""
    if way.state == DepartureState.HANDED_OVER:
        return "handed_over", None
    if way.pickup is not None:
        return _TOLD[PickupState(way.pickup)], None
    if way.brought or network.pickup is None:
        return ("brought" if way.brought else "never"), None
    card, place = carrier.own.card, asking.start
    where = Where(card.time_zone, leaving_from(card.country, place), place.postcode, asking.closed)
    if refusal_for(day, asking.now, network.pickup, where) is not None:
        return "too_late", None
    return "not_asked", ask_until(day, network.pickup, where)


_TOLD: dict[PickupState, Fetched] = {
    PickupState.ASKED: "asked",
    PickupState.BOOKED: "booked",
    PickupState.CANCELLING: "booked",
    PickupState.DONE: "done",
    PickupState.MISSED: "missed",
}
"""What the states of a pickup tell about its departure: a refused or cancelled one is none."""
