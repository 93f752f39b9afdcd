"""The day on which a parcel leaves and when it arrives: trucks and their timetables, days ahead, days asked about."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

from tidewind.core.addresses.check import Address
from tidewind.core.calendar import Arrival, Closed, Timetable, arrival, first_leaving_day, ship_date_for
from tidewind.core.consignments import Consignment
from tidewind.core.order_facts import Carrier, OrderFacts, Shop, leaves_from
from tidewind.core.quantities import Refused
from tidewind.core.subdivisions import working_place
from tidewind.core.tariffs.card import Service


def timetable_of(carrier: Carrier, network_id: str, start: Address, closed: Closed = ()) -> Timetable:
    """Return when the truck of a carrier's network leaves; abroad the carrier's own holidays count, not the place's."""
    card = carrier.own.card
    key = (network_id, leaving_from(card.country, start), closed)
    if key not in carrier.timetables:
        network = next(n for n in card.networks if n.id == network_id)
        gone = tuple((day, day) for on, day in carrier.gone if on == network_id)
        sooner = tuple((day, at) for on, day, at in carrier.sooner if on == network_id)
        carrier.timetables[key] = Timetable(network.cutoff, card.time_zone, key[1], (*closed, *gone), sooner)
    return carrier.timetables[key]


def leaving_from(country: str, start: Address) -> str:
    """Return the place whose working days count where a carrier of ``country`` fetches parcels."""
    return working_place(start) if start.country == country else country


def option_arrival(
    order: OrderFacts,
    shop: Shop,
    carrier: Carrier,
    service: Service,
    zone: str,
    extras: frozenset[str],
    not_before: date | None,
) -> Arrival:
    """Return when a service brings an order to a zone, leaving as early as it may."""
    no_weekend = any(line.no_weekend for line in order.lines)
    saturday = bool(extras) and not extras.isdisjoint(carrier.own.saturday_extras)
    to, start = working_place(order.address), leaves_from(order, shop)
    card = (carrier.code, carrier.own.card.valid_from)
    key = (card, service.code, zone, to, working_place(start), saturday, no_weekend, not_before)
    known = shop.arrivals.get(key)
    if known is None:
        timetable = timetable_of(carrier, service.network, start, shop.closed)
        earliest = ship_date_for(shop.now, timetable)
        leaves = max(earliest, not_before) if not_before else earliest
        transit = service.transit[zone]
        if saturday:
            transit = replace(transit, saturdays=True)
        known = arrival(leaves, timetable, transit, to, no_weekend=no_weekend)
        shop.arrivals[key] = known
    return known


def leaving_day(order: OrderFacts, shop: Shop, carrier: Carrier, network: str, not_before: date | None) -> date:
    """Return the day on which a carrier's truck takes an order along, not before the day that was asked for."""
    timetable = timetable_of(carrier, network, leaves_from(order, shop), shop.closed)
    earliest = ship_date_for(shop.now, timetable)
    return first_leaving_day(max(earliest, not_before or earliest), timetable)


def asked_day(
    order: OrderFacts, shop: Shop, carrier: Carrier, service: Service, not_before: date | None, consignment: Consignment
) -> date | None:
    """Return the one day about which an asked carrier is asked: when it takes the parcel along; None for any other."""
    where = carrier.own.where(consignment) if carrier.asked else None
    if where is None or where.zone.id not in service.transit:
        return None
    extras = consignment.extras
    return option_arrival(order, shop, carrier, service, where.zone.id, extras, not_before).ship_date


def too_far_ahead(order: OrderFacts, shop: Shop, carrier: Carrier, service: Service, due: Arrival) -> Refused | None:
    """Return why a service does not take a parcel that is to leave on a later day, None where it does.

    Whatever moved that day: a person, days on which the shop is closed, or goods that wait for a weekend to pass.  The
    first day on which the carrier itself takes anything along is never too far.
    """
    if due.ship_date <= shop.local.date() + timedelta(days=service.ahead_days):
        return None
    timetable = timetable_of(carrier, service.network, leaves_from(order, shop))
    if due.ship_date <= ship_date_for(shop.now, timetable):
        return None
    return Refused("too_far_ahead", f"takes parcels at most {service.ahead_days} days ahead")
