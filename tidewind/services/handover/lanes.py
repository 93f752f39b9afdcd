"""The handovers of a day as lanes: what lies in each, how it is fetched, what was asked, closed, handed over."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.calendar import is_working_day
from tidewind.core.order_facts import Carrier
from tidewind.core.pickups.when import FARTHEST, Where
from tidewind.core.ship_days import leaving_from
from tidewind.core.states.departures import DepartureState
from tidewind.core.stored import NO_ADDRESS
from tidewind.core.tariffs.card import Network
from tidewind.db.tables import CarrierRow, Departure, Manifest, Pickup, Place
from tidewind.services.base import Invalid
from tidewind.services.handover.departures import DepartureKey, cutoff_at
from tidewind.services.handover.fetching import Fetching, fetching_of
from tidewind.services.handover.lying import Late, Lying, Pile, ToCome, lying_on, to_come_on
from tidewind.services.handover.stopped import Stopped
from tidewind.services.planning import carriers_in_force, closed_days, home_address, shop_day, shop_settings

DAYS_SHOWN = 5


@dataclass(frozen=True, slots=True)
class Lane:
    """One handover of a day: a carrier's network with its cut-off, its piles, how they are fetched (None: never).

    ``pickup`` is the newest one that was asked for, ``manifest`` the standing one; ``by_telephone``: the carrier is not
    asked by us, whoever books calls it.  Without a departure of its own yet a lane is open.
    """

    carrier: str
    network: str
    name: str
    monogram: str
    day: date
    cutoff_at: datetime
    currency: str
    to_buy: int
    piles: tuple[Pile, ...] = ()
    fetching: Fetching | None = None
    state: DepartureState = DepartureState.OPEN
    brought: bool = False
    driver: str = ""
    handed_over_at: datetime | None = None
    recount: str = ""
    pickup: Pickup | None = None
    manifest: Manifest | None = None
    by_telephone: bool = False
    late: tuple[Late, ...] = ()
    stopped: tuple[Stopped, ...] = ()


@dataclass(frozen=True, slots=True)
class _Day:
    """Everything about a day that its lanes are made of."""

    day: date
    now: datetime
    place: Place | None
    closed: tuple[tuple[date, date], ...]
    lying: dict[tuple[str, str], Lying]
    to_come: dict[tuple[str, str], ToCome]
    rows: dict[str, CarrierRow]
    departures: dict[tuple[str, str], Departure]
    pickups: dict[int, Pickup]
    manifests: dict[int, Manifest]


def days_shown(session: Session, now: datetime) -> list[date]:
    """Return today and the next days on which anything can leave, as many as are shown."""
    day = shop_day(session, now)
    works, made = _working_days(session), [day]
    while len(made) < DAYS_SHOWN:
        day += timedelta(days=1)
        if works(day):
            made.append(day)
    return made


def _working_days(session: Session) -> Callable[[date], bool]:
    """Return what tells whether anybody works here on a day."""
    closed = closed_days(shop_settings(session))
    start = home_address(session)

    def works(day: date) -> bool:
        return is_working_day(day, start.country or "PT") and not any(first <= day <= last for first, last in closed)

    return works


def lanes_to_begin_with(session: Session, now: datetime) -> tuple[date, list[Lane]]:
    """Return today and its lanes; or those of the next day, where nothing lies today and nothing will leave any more.

    Nothing leaves after the last cut-off, nor on a day on which nobody works here and that no order is planned for.
    """
    today, following, *_ = days_shown(session, now)
    lanes = lanes_on(session, today, now)
    works = _working_days(session)(today)
    if any(lane.piles or (lane.cutoff_at > now and (works or lane.to_buy)) for lane in lanes):
        return today, lanes
    return following, lanes_on(session, following, now)


def lanes_on(session: Session, day: date, now: datetime) -> list[Lane]:
    """Return the handovers of a day in the order of their cut-offs, those with nothing in them too.

    Raises Invalid for a day farther away than three months.
    """
    shop = shop_settings(session)
    if abs((day - shop_day(session, now)).days) > FARTHEST.days:
        raise Invalid("too_far", "Departures are shown for three months before and after today.")
    departures = session.scalars(select(Departure).where(Departure.day == day)).all()
    ids = [departure.id for departure in departures]
    # Of one departure the later pickup overwrites those before it.
    pickups = session.scalars(select(Pickup).where(Pickup.departure_id.in_(ids)).order_by(Pickup.id)) if ids else ()
    standing = select(Manifest).where(Manifest.departure_id.in_(ids), Manifest.reopened_at.is_(None))
    of_day = _Day(
        day,
        now,
        session.scalar(select(Place).where(Place.is_default)),
        closed_days(shop),
        lying_on(session, day),
        to_come_on(session, day),
        {row.code: row for row in session.scalars(select(CarrierRow))},
        {(departure.carrier, departure.network): departure for departure in departures},
        _newest(list(pickups)),
        {manifest.departure_id: manifest for manifest in (session.scalars(standing) if ids else ())},
    )
    lanes = [
        _lane(of_day, carrier, network)
        for carrier in carriers_in_force(session, day)
        for network in carrier.own.card.networks
    ]
    return sorted(lanes, key=lambda lane: (lane.cutoff_at, lane.name))


def lane_of(session: Session, key: DepartureKey, now: datetime) -> Lane | None:
    """Return one handover as its lane; None where the carrier has no such network."""
    lanes = lanes_on(session, key.day, now)
    return next((one for one in lanes if (one.carrier, one.network) == (key.carrier, key.network)), None)


def _newest(pickups: Sequence[Pickup]) -> dict[int, Pickup]:
    """Return of each departure the pickup that counts: a refused wish does not hide the van that is booked."""
    found: dict[int, Pickup] = {}
    for pickup in pickups:
        before = found.get(pickup.departure_id)
        if before is not None and before.state == "booked" and pickup.state == "refused":
            continue
        found[pickup.departure_id] = pickup
    return found


def _lane(of_day: _Day, carrier: Carrier, network: Network) -> Lane:
    card, key = carrier.own.card, (carrier.code, network.id)
    start = of_day.place.address if of_day.place else NO_ADDRESS
    where = Where(card.time_zone, leaving_from(card.country, start), start.postcode, of_day.closed)
    lying = of_day.lying.get(key, Lying())
    to_come = of_day.to_come.get(key, ToCome())
    fetching = None
    if network.pickup:
        day, now = of_day.day, of_day.now
        spot = of_day.place.pickup_spot if of_day.place else ""
        fetching = fetching_of(network.pickup, network.cutoff, lying, to_come.parcels, day, now, where, spot)
    departure, row = of_day.departures.get(key), of_day.rows[carrier.code]
    return Lane(
        carrier=carrier.code,
        network=network.id,
        name=network.name,
        monogram=row.monogram,
        day=of_day.day,
        cutoff_at=cutoff_at(carrier, network.id, of_day.day),
        currency=card.currency,
        to_buy=len(to_come.orders),
        piles=tuple(sorted(lying.piles.values(), key=lambda pile: pile.name)),
        fetching=fetching,
        state=DepartureState(departure.state) if departure else DepartureState.OPEN,
        brought=departure.brought if departure else False,
        driver=departure.driver if departure else "",
        handed_over_at=departure.handed_over_at if departure else None,
        recount=departure.recount if departure else "",
        pickup=of_day.pickups.get(departure.id) if departure else None,
        manifest=of_day.manifests.get(departure.id) if departure else None,
        by_telephone=row.kind == "list",
        late=tuple(lying.late.values()),
        stopped=tuple(lying.stopped),
    )
