"""What lies ready for the departures of a day: the labels bought, by service, and the orders still to be bought."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import date

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.pickups.taking import Waiting
from tidewind.core.quantities import Size
from tidewind.db.tables import Departure, Label, Order, Shipment
from tidewind.services.handover.stopped import MAY_GO, Stopped
from tidewind.services.planning import changes_upstream

Network = tuple[str, str]
"""A carrier's code and its network's id."""


@dataclass(slots=True)
class Pile:
    """The labels of one service that leave together: how many lie there, on paper, scanned out; grams and mm³.

    ``gone`` are those that have left; they are none of the others.
    """

    service: str
    name: str
    labels: int = 0
    printed: int = 0
    counted: int = 0
    gross_g: int = 0
    volume_mm3: int = 0
    gone: int = 0


@dataclass(frozen=True, slots=True)
class Late:
    """An order whose label is bought, and that comes too late for what its buyer was promised."""

    order_id: int
    order_number: str
    arrives: date
    promised: date


@dataclass(slots=True)
class Lying:
    """What lies at one departure; ``waiting`` has the order of each parcel beside it, ``stopped`` what must not go."""

    piles: dict[str, Pile] = field(default_factory=dict)
    waiting: list[tuple[int, Waiting]] = field(default_factory=list)
    late: dict[int, Late] = field(default_factory=dict)
    stopped: list[Stopped] = field(default_factory=list)


@dataclass(slots=True)
class ToCome:
    """Orders that are planned for a departure and not bought: their ids, and their parcels as they are planned."""

    orders: list[int] = field(default_factory=list)
    parcels: list[Waiting] = field(default_factory=list)


def lying_on(session: Session, day: date) -> dict[Network, Lying]:
    """Return what lies at the departures of a day, by carrier and network."""
    query = (
        select(
            Departure.carrier,
            Departure.network,
            Shipment.service,
            Shipment.service_name,
            Label.parcel,
            Label.gross_g,
            Label.printed_at,
            Label.counted_at,
            Label.handed_over_at,
            Order.number,
            Order.id,
            Shipment.arrives,
            Order.promise_date,
        )
        .join(Shipment, Shipment.id == Label.shipment_id)
        .join(Departure, Departure.id == Label.departure_id)
        .join(Order, Order.id == Shipment.order_id)
        .where(Departure.day == day, MAY_GO)
        .order_by(Label.id)
    )
    found: dict[Network, Lying] = defaultdict(Lying)
    for row in session.execute(query):
        carrier, network, service, name, parcel, gross_g, printed, counted, went, number, order_id, *days = row
        arrives, promised = days
        lying = found[carrier, network]
        pile = lying.piles.setdefault(service, Pile(service, name))
        if went is not None:
            pile.gone += 1
            continue
        size = Size.of(*parcel.sides_mm)
        pile.labels += 1
        pile.printed += printed is not None
        pile.counted += counted is not None
        pile.gross_g += gross_g
        pile.volume_mm3 += size.mm3
        lying.waiting.append((order_id, Waiting(number, service, name, gross_g, size)))
        if arrives and promised and arrives > promised:
            lying.late[order_id] = Late(order_id, number, arrives, promised)
    _stop(session, found.values())
    return found


def _stop(session: Session, lying: Collection[Lying]) -> None:
    """Say of what lies there which orders their channel changed since, so that they must not go."""
    numbers = [{order_id: parcel.label for order_id, parcel in one.waiting} for one in lying]
    changes = changes_upstream(session, {order_id for mine in numbers for order_id in mine})
    for one, mine in zip(lying, numbers, strict=True):
        stops = [(i, change) for i in mine if (change := changes.get(i)) is not None and change.stops]
        one.stopped = [Stopped(order_id, mine[order_id], change) for order_id, change in stops]


def to_come_on(session: Session, day: date, networks: Collection[Network] | None = None) -> dict[Network, ToCome]:
    """Return what is planned to leave on a day and not bought yet, by carrier and network; of some networks, or all."""
    query = (
        select(Order.carrier, Order.network, Order.id, Order.number, Order.service, Order.plan)
        .where(Order.state == "open", Order.ship_date == day, Order.carrier.is_not(None))
        .order_by(Order.id)
    )
    found: dict[Network, ToCome] = defaultdict(ToCome)
    for carrier, network, order_id, number, service, plan in session.execute(query):
        key = (str(carrier), str(network))
        if networks is not None and key not in networks:
            continue
        found[key].orders.append(order_id)
        name = plan.service_name or ""
        found[key].parcels += [
            Waiting(number, service or "", name, parcel.gross_g, Size.of(*parcel.sides_mm)) for parcel in plan.parcels
        ]
    return found
