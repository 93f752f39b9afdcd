"""Every service for one order: quoted with its arrival, or refused with its reason."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

from tidewind.core import packing
from tidewind.core.addresses.check import is_po_box
from tidewind.core.calendar import Arrival, Timetable, arrival, ship_date_for
from tidewind.core.order_facts import Carrier, OrderFacts, Shop
from tidewind.core.packing import Packaging, PackedParcel, Unit
from tidewind.core.quantities import Refused
from tidewind.core.tariffs.card import Consignment, Parcel, Service
from tidewind.core.tariffs.quote import Quote


@dataclass(frozen=True, slots=True)
class Offer:
    """One service for this order: its quote and arrival, or why it is refused."""

    carrier: str
    service: str
    name: str
    network: str
    parcels: tuple[PackedParcel, ...]
    quote: Quote | None
    refused: Refused | None
    arrival: Arrival | None
    published_net: int | None = None


@dataclass(frozen=True, slots=True)
class Sending:
    """What the layers have settled before services are asked: pieces, parcels, extras, value, earliest day.

    ``box`` is the packaging that a layer chose; ``divided`` tells that the parcels are not to be put together again.
    """

    units: Sequence[Unit]
    parcels: tuple[PackedParcel, ...]
    extras: frozenset[str]
    value: int
    not_before: date | None = None
    box: Packaging | None = None
    divided: bool = False


def offers_for(order: OrderFacts, shop: Shop, sending: Sending) -> list[Offer]:
    """Return every service of every carrier for this order, quoted or refused with its reason."""
    boxes = {p.code: p for p in shop.packagings}
    usual = consignment_of(order, sending.parcels, sending.extras, sending.value)
    return [
        _offer(order, shop, carrier, compiled.service, sending, boxes, usual)
        for carrier in shop.carriers
        for compiled in carrier.own.services.values()
    ]


def _offer(
    order: OrderFacts, shop: Shop, carrier: Carrier, service: Service, sending: Sending,
    boxes: Mapping[str, Packaging], usual: Consignment,
) -> Offer:  # fmt: skip
    parcels = sending.parcels
    refused: Refused | None = None
    if service.packaging:
        repacked = _repack(sending, boxes.get(service.packaging))
        if isinstance(repacked, Refused):
            refused = repacked
        else:
            parcels = repacked
    made = Offer(carrier.code, service.code, service.name, service.network, parcels, None, refused, None)
    if refused:
        return made
    consignment = usual
    if parcels is not sending.parcels:
        consignment = consignment_of(order, parcels, sending.extras, sending.value)
    quoted = carrier.own.quote(service.code, consignment)
    if isinstance(quoted, Refused):
        return replace(made, refused=quoted)
    return replace(
        made,
        quote=quoted,
        arrival=_arrival(order, shop, carrier, service, quoted.zone, sending.not_before),
    )


def with_published(offer: Offer, order: OrderFacts, shop: Shop, extras: frozenset[str], value: int) -> Offer:
    """Return an offer with its price at the carrier's published rates, without the shop's contract."""
    carrier = next(c for c in shop.carriers if c.code == offer.carrier)
    if carrier.published is carrier.own and offer.quote:
        return replace(offer, published_net=offer.quote.net)
    published = carrier.published.quote(offer.service, consignment_of(order, offer.parcels, extras, value))
    return replace(offer, published_net=published.net if isinstance(published, Quote) else None)


def _repack(sending: Sending, box: Packaging | None) -> tuple[PackedParcel, ...] | Refused:
    if box is None:
        return Refused("packaging", "the carrier's box is not in stock")
    if sending.box and sending.box.code != box.code:
        return Refused("packaging", f"not in {sending.box.name}, which is chosen")
    if sending.divided:
        return Refused("packaging", f"goes as {len(sending.parcels)} parcels, not in one {box.name}")
    if any(u.own_box for u in sending.units) or not packing.fits(sending.units, box):
        return Refused("packaging", f"not everything fits into {box.name}")
    return (packing.parcel_of(sending.units, box),)


def consignment_of(
    order: OrderFacts, parcels: Sequence[PackedParcel], extras: frozenset[str], value: int
) -> Consignment:
    """Return what the carriers are asked to price."""
    return Consignment(
        country=order.address.country,
        postcode=order.address.postcode,
        home=order.home,
        parcels=tuple(
            Parcel(p.gross_g, p.outer, p.packaging.code if p.packaging and p.packaging.carrier else None)
            for p in parcels
        ),
        value=value,
        contents=frozenset().union(*(line.contents for line in order.lines)),
        extras=extras,
        po_box=is_po_box(order.address),
    )


def _arrival(
    order: OrderFacts, shop: Shop, carrier: Carrier, service: Service, zone: str, not_before: date | None
) -> Arrival:
    card = carrier.own.card
    network = next(n for n in card.networks if n.id == service.network)
    timetable = Timetable(network.cutoff, card.time_zone, card.country)
    earliest = ship_date_for(shop.now, timetable)
    leaves = max(earliest, not_before) if not_before else earliest
    no_weekend = any(line.no_weekend for line in order.lines)
    return arrival(leaves, timetable, service.transit[zone], order.address.country, no_weekend=no_weekend)
