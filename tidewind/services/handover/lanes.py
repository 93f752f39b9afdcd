"""The handovers of a day as lanes: what lies in each by service, and what its carrier's rules say of fetching it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.calendar import is_working_day
from tidewind.core.options import leaving_from
from tidewind.core.pickups.rules import PickupRules
from tidewind.core.pickups.taking import Waiting, pickup_fee, taken_along
from tidewind.core.pickups.when import FARTHEST, Where, ask_until, days_offered, refusal_for
from tidewind.core.quantities import Size
from tidewind.core.stored import NO_ADDRESS
from tidewind.db.tables import CarrierRow, Departure, Label, Order, Place, Shipment
from tidewind.services.base import Invalid
from tidewind.services.handover.departures import cutoff_at
from tidewind.services.planning import carriers_in_force, closed_days, shop_settings

DAYS_SHOWN = 5


@dataclass(slots=True)
class Pile:
    """The labels of one service that leave together: how many, how many on paper, grams and cubic millimetres."""

    service: str
    name: str
    labels: int = 0
    printed: int = 0
    gross_g: int = 0
    volume_mm3: int = 0


@dataclass(frozen=True, slots=True)
class Left:
    """A parcel that a van does not take along, by its order, and why."""

    order_id: int
    order_number: str
    words: str


@dataclass(frozen=True, slots=True)
class Fetching:
    """What the carrier's rules say of fetching what lies there, if anything lies there.

    ``refused`` is why it cannot be asked for; ``next_day`` the first day that still can be.  The fee is in minor units
    of the carrier's card, without tax; None where nothing would be fetched.
    """

    until: datetime | None
    refused: str
    next_day: date | None
    opens: time
    closes: time
    least_span_min: int
    going: int
    fee_minor: int | None
    exact_hour_fee_minor: int | None
    manifest_first: bool
    left: tuple[Left, ...] = ()


@dataclass(frozen=True, slots=True)
class Lane:
    """One handover of a day: a carrier's network with its cut-off, its piles, how they are fetched (None: never)."""

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


@dataclass(slots=True)
class _Lying:
    piles: dict[str, Pile] = field(default_factory=dict)
    waiting: list[tuple[int, Waiting]] = field(default_factory=list)


def days_shown(session: Session, now: datetime) -> list[date]:
    """Return today and the next days on which anything can leave, as many as are shown."""
    shop = shop_settings(session)
    today, closed = now.astimezone(ZoneInfo(shop.time_zone)).date(), closed_days(shop)
    start = session.scalar(select(Place.address).where(Place.is_default)) or NO_ADDRESS
    made, day = [today], today
    while len(made) < DAYS_SHOWN:
        day += timedelta(days=1)
        shut = any(first <= day <= last for first, last in closed)
        if is_working_day(day, start.country or "PT") and not shut:
            made.append(day)
    return made


def lanes_on(session: Session, day: date, now: datetime) -> list[Lane]:
    """Return the handovers of a day in the order of their cut-offs, those with nothing in them too.

    Raises Invalid for a day farther away than three months.
    """
    shop = shop_settings(session)
    if abs((day - now.astimezone(ZoneInfo(shop.time_zone)).date()).days) > FARTHEST.days:
        raise Invalid("too_far", "Departures are shown for three months before and after today.")
    start = session.scalar(select(Place.address).where(Place.is_default)) or NO_ADDRESS
    lying, to_buy = _lying(session, day), _to_buy(session, day)
    monograms = dict(session.execute(select(CarrierRow.code, CarrierRow.monogram)).all())
    lanes = []
    for carrier in carriers_in_force(session, day):
        card = carrier.own.card
        place = leaving_from(card.country, start)
        where = Where(card.time_zone, place, start.postcode, closed_days(shop))
        for network in card.networks:
            mine = lying[carrier.code, network.id]
            waiting = [parcel for _, parcel in mine.waiting]
            lanes.append(
                Lane(
                    carrier=carrier.code,
                    network=network.id,
                    name=network.name,
                    monogram=str(monograms.get(carrier.code, "")),
                    day=day,
                    cutoff_at=cutoff_at(carrier, network.id, day),
                    currency=card.currency,
                    to_buy=to_buy.get((carrier.code, network.id), 0),
                    piles=tuple(sorted(mine.piles.values(), key=lambda pile: pile.name)),
                    fetching=_fetching(network.pickup, waiting, mine, day, now, where) if network.pickup else None,
                )
            )
    return sorted(lanes, key=lambda lane: (lane.cutoff_at, lane.name))


def _lying(session: Session, day: date) -> dict[tuple[str, str], _Lying]:
    query = (
        select(
            Departure.carrier, Departure.network, Shipment.service, Shipment.service_name, Label.id, Label.parcel,
            Label.gross_g, Label.printed_at, Label.tracking_number, Order.number, Order.id,
        )
        .join(Shipment, Shipment.id == Label.shipment_id)
        .join(Departure, Departure.id == Shipment.departure_id)
        .join(Order, Order.id == Shipment.order_id)
        .where(Departure.day == day, Shipment.state == "bought")
        .order_by(Label.id)
    )  # fmt: skip
    found: dict[tuple[str, str], _Lying] = defaultdict(_Lying)
    for row in session.execute(query):
        carrier, network, service, name, _, parcel, gross_g, printed_at, _, number, order_id = row
        lying = found[carrier, network]
        pile = lying.piles.setdefault(service, Pile(service, name))
        size = Size.of(*parcel.sides_mm)
        pile.labels += 1
        pile.printed += printed_at is not None
        pile.gross_g += gross_g
        pile.volume_mm3 += size.mm3
        lying.waiting.append((order_id, Waiting(number, service, name, gross_g, size)))
    return found


def _to_buy(session: Session, day: date) -> dict[tuple[str, str], int]:
    waiting = (
        select(Order.carrier, Order.network, func.count(Order.id))
        .where(Order.state == "open", Order.ship_date == day, Order.carrier.is_not(None))
        .group_by(Order.carrier, Order.network)
    )
    return {(str(carrier), str(network)): count for carrier, network, count in session.execute(waiting)}


def _fetching(
    rules: PickupRules, parcels: Sequence[Waiting], lying: _Lying, day: date, now: datetime, where: Where
) -> Fetching:
    taken = taken_along(parcels, rules)
    refusal = refusal_for(day, now, rules, where)
    until = ask_until(day, rules, where) if refusal is None or refusal.reason == "too_late" else None
    soonest = days_offered(now, rules, where)
    why = refusal.detail if refusal else taken.refused.detail if taken.refused else ""
    order_of = {id(parcel): order_id for order_id, parcel in lying.waiting}
    fee = pickup_fee(len(taken.going), day, exact_hour=False, rules=rules) if taken.going else None
    return Fetching(
        until=until,
        refused=why,
        next_day=soonest[0] if soonest else None,
        opens=rules.opens,
        closes=rules.closes,
        least_span_min=rules.least_span_min,
        going=len(taken.going),
        fee_minor=fee,
        exact_hour_fee_minor=rules.exact_hour_fee if rules.exact_hour else None,
        manifest_first=rules.manifest_first,
        left=tuple(Left(order_of[id(parcel)], parcel.label, words) for parcel, words in taken.left),
    )
