"""Every service for one order: quoted with its arrival, or refused with its reason."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import field, replace
from datetime import date
from typing import NamedTuple

from tidewind.core import packing
from tidewind.core.calendar import Arrival
from tidewind.core.consignments import Consignment, Goods, Parcel, route_between
from tidewind.core.frozen import frozen
from tidewind.core.insuring import INSURED, NO_COVER, insured, premium_in
from tidewind.core.order_facts import Carrier, OrderFacts, Shop, leaves_from
from tidewind.core.packing import Lot, Packaging, PackedParcel, Unit
from tidewind.core.quantities import Refused
from tidewind.core.ship_days import asked_day, leaving_day, option_arrival, too_far_ahead
from tidewind.core.tariffs.card import Service
from tidewind.core.tariffs.quote import Line, Quote

_OF_OTHERS = frozenset({INSURED})
"""Extras that no carrier is asked for."""


class Option(NamedTuple):
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


@frozen
class Settled:
    """What the layers have settled before services are asked: the consignment, and what of it may still change.

    ``consignment`` lies in ``packed``, the shop's own packaging; ``units`` are the pieces in it, ``box`` the packaging
    that a layer chose, and ``divided`` tells that the parcels are not to be put together again.  ``premium`` is what an
    insurer asks beside the carrier, or why it does not cover the goods; None where no cover is wanted.
    """

    consignment: Consignment
    packed: tuple[PackedParcel, ...]
    units: Sequence[Unit]
    premium: Line | Refused | None = None
    not_before: date | None = None
    box: Packaging | None = None
    divided: bool = False
    tender: frozenset[str] = frozenset()
    lot: Lot = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        """Measure the pieces once for all the boxes that carriers offer."""
        object.__setattr__(self, "lot", Lot(self.units))

    @property
    def extras(self) -> frozenset[str]:
        """Every extra that is asked for, an insurer's cover among them."""
        asked = self.consignment.extras
        return asked if self.premium is None else asked | _OF_OTHERS


def settle(
    order: OrderFacts,
    shop: Shop,
    packed: tuple[PackedParcel, ...],
    extras: frozenset[str],
    value: int,
    units: Sequence[Unit] = (),
    not_before: date | None = None,
    box: Packaging | None = None,
    divided: bool = False,
) -> Settled:
    """Return an order with these parcels, extras and value (minor units), ready to be priced."""
    packed = _as_weighed(packed, order.hand.weights_g)
    tender = frozenset(line.id for line in order.lines if line.not_stackable or order.hand.not_stackable)
    consignment = Consignment(
        route_between(leaves_from(order, shop), order.address, home=order.home, point=order.point, po_box=order.po_box),
        Goods(value, order.contents),
        priced_parcels(packed, tender),
        extras - _OF_OTHERS,
    )
    premium = _premium(consignment.goods, shop) if INSURED in extras else None
    return Settled(consignment, packed, units, premium, not_before, box, divided, tender)


def _as_weighed(packed: tuple[PackedParcel, ...], weights_g: tuple[int, ...]) -> tuple[PackedParcel, ...]:
    """Return parcels with the gross weights that a scale said; the difference is put down to their padding."""
    if len(weights_g) != len(packed):
        return packed
    return tuple(
        replace(parcel, padding_g=grams - parcel.goods_g - parcel.packaging_g)
        for parcel, grams in zip(packed, weights_g, strict=True)
    )


def with_extras(settled: Settled, shop: Shop, extras: frozenset[str]) -> Settled:
    """Return the same with other extras."""
    premium = _premium(settled.consignment.goods, shop) if INSURED in extras else None
    return replace(settled, consignment=settled.consignment.with_extras(extras - _OF_OTHERS), premium=premium)


def _premium(goods: Goods, shop: Shop) -> Line | Refused:
    return shop.cover.premium(goods.value, goods.contents) if shop.cover else NO_COVER


def options_for(order: OrderFacts, shop: Shop, settled: Settled) -> list[Option]:
    """Return every service of every carrier for this order, quoted or refused with its reason."""
    return [option for carrier in shop.carriers for option in _options_of(order, shop, carrier, settled)]


def _options_of(order: OrderFacts, shop: Shop, carrier: Carrier, settled: Settled) -> Iterator[Option]:
    """Yield a carrier's services in the card's order, those with a box of their own in that box."""
    found: dict[str, Option] = {}
    for packaging in carrier.own.packagings:
        packed = settled.packed
        if packaging:
            repacked = _repack(settled, shop.boxes.get(packaging))
            if isinstance(repacked, Refused):
                found.update(_all_refused(carrier, packaging, packed, repacked))
                continue
            packed = repacked
        priced = priced_options(order, shop, carrier, settled, packed, packaging)
        found.update((option.service, option) for option in priced)
    return map(found.__getitem__, carrier.own.services)


def options_among(order: OrderFacts, shop: Shop, settled: Settled, codes: Collection[str]) -> list[Option]:
    """Return some services as ``options_for`` would, and look at no others; codes that nobody has are left out."""
    found: list[Option] = []
    for carrier in shop.carriers:
        mine = [(code, compiled.service) for code, compiled in carrier.own.services.items() if code in codes]
        for packaging in dict.fromkeys(service.packaging for _, service in mine):
            packed = _repack(settled, shop.boxes.get(packaging)) if packaging else settled.packed
            for code, service in mine:
                if service.packaging != packaging:
                    continue
                if isinstance(packed, Refused):
                    refused = Option(
                        carrier.code, code, service.name, service.network, settled.packed, None, packed, None
                    )
                    found.append(refused)
                else:
                    found.append(option_of(order, shop, carrier, settled, packed, code))
    return found


def _all_refused(
    carrier: Carrier, packaging: str, parcels: tuple[PackedParcel, ...], why: Refused
) -> Iterator[tuple[str, Option]]:
    for code, compiled in carrier.own.services.items():
        service = compiled.service
        if service.packaging == packaging:
            yield code, Option(carrier.code, code, service.name, service.network, parcels, None, why, None)


def priced_options(
    order: OrderFacts,
    shop: Shop,
    carrier: Carrier,
    settled: Settled,
    packed: tuple[PackedParcel, ...],
    packaging: str | None = None,
) -> Iterator[Option]:
    """Yield a carrier's services in one packaging for these parcels: price and arrival, or the refusal."""
    if carrier.asked:
        for code, compiled in carrier.own.services.items():
            if compiled.service.packaging == packaging:
                yield option_of(order, shop, carrier, settled, packed, code)
        return
    consignment = in_parcels(settled, packed)
    for compiled, answer in carrier.own.quotes(consignment, packaging):
        yield _option(order, shop, carrier, settled, packed, compiled.service, answer)


def option_of(
    order: OrderFacts, shop: Shop, carrier: Carrier, settled: Settled, packed: tuple[PackedParcel, ...], service: str
) -> Option:
    """Return one service for these parcels.  Raises KeyError for a service that the carrier has not."""
    found, consignment = carrier.own.services[service].service, in_parcels(settled, packed)
    day = asked_day(order, shop, carrier, found, settled.not_before, consignment)
    if day is not None:
        return _of_day(order, shop, carrier, carrier.shipping_on(day), settled, packed, found, day)
    return _option(order, shop, carrier, settled, packed, found, carrier.own.quote(service, consignment))


def _option(
    order: OrderFacts,
    shop: Shop,
    carrier: Carrier,
    settled: Settled,
    packed: tuple[PackedParcel, ...],
    service: Service,
    answer: Quote | Refused,
) -> Option:
    """Return a service with today's answer, or priced anew where it leaves on a day that has other prices."""
    if carrier.dated is None:
        return _made(order, shop, carrier, settled, packed, service, answer)
    day = leaving_day(order, shop, carrier, service.network, settled.not_before)
    dated = carrier.shipping_on(day)
    if dated is not carrier:
        return _of_day(order, shop, carrier, dated, settled, packed, service, day)
    made = _made(order, shop, carrier, settled, packed, service, answer)
    if made.arrival and made.arrival.ship_date != day:  # it waits, for a weekend to pass
        dated = carrier.shipping_on(made.arrival.ship_date)
        if dated is not carrier:
            return _of_day(order, shop, carrier, dated, settled, packed, service, made.arrival.ship_date)
    return made


def _of_day(
    order: OrderFacts,
    shop: Shop,
    carrier: Carrier,
    dated: Carrier | None,
    settled: Settled,
    packed: tuple[PackedParcel, ...],
    service: Service,
    day: date,
) -> Option:
    """Return a service as its carrier prices it for a ship date."""
    if dated is None or service.code not in dated.own.services:
        why = Refused("no_prices", f"has no prices for {day:%-d %B %Y} yet")
        return Option(carrier.code, service.code, service.name, service.network, packed, None, why, None)
    answer = dated.own.quote(service.code, in_parcels(settled, packed))
    return _made(order, shop, dated, settled, packed, dated.own.services[service.code].service, answer)


def _made(
    order: OrderFacts,
    shop: Shop,
    carrier: Carrier,
    settled: Settled,
    packed: tuple[PackedParcel, ...],
    service: Service,
    answer: Quote | Refused,
) -> Option:
    quote, refused, due, premium = None, None, None, settled.premium
    if isinstance(answer, Refused):
        refused = answer
    elif isinstance(premium, Refused):
        refused = premium
    else:
        quote = insured(answer, premium) if premium else answer
        due = option_arrival(order, shop, carrier, service, quote.zone, settled.consignment.extras, settled.not_before)
        refused = too_far_ahead(order, shop, carrier, service, due)
        if refused:
            quote = due = None
    return Option(carrier.code, service.code, service.name, service.network, packed, quote, refused, due)


def in_parcels(settled: Settled, packed: tuple[PackedParcel, ...]) -> Consignment:
    """Return what a carrier is asked to price where the goods lie in these parcels."""
    usual = settled.consignment
    return usual if packed is settled.packed else usual.in_parcels(priced_parcels(packed, settled.tender))


def with_published(option: Option, shop: Shop, settled: Settled) -> Option:
    """Return an option with its price at the carrier's published rates, without the shop's contract."""
    carrier = carrier_of(shop, option)
    if carrier.published is carrier.own and option.quote:
        return option._replace(published_net=option.quote.net)
    consignment = in_parcels(settled, option.parcels)
    if carrier.own.live:
        net = carrier.own.answers.published_net(consignment, option.service)
    else:
        published = carrier.published.quote(option.service, consignment)
        net = published.net if isinstance(published, Quote) else None
    premium = premium_in(option.quote) if option.quote else 0
    return option._replace(published_net=None if net is None else net + premium)


def carrier_of(shop: Shop, option: Option) -> Carrier:
    """Return the carrier of an option, as it prices what leaves on the option's day."""
    carrier = next(c for c in shop.carriers if c.code == option.carrier)
    dated = carrier.shipping_on(option.arrival.ship_date) if option.arrival else carrier
    return dated or carrier


def goes_into(settled: Settled, box: Packaging) -> bool:
    """Tell whether the goods may go into a carrier's box, and do."""
    lot, other = settled.lot, settled.box and settled.box.code != box.code
    return not (other or settled.divided or lot.own_boxes) and lot.measured and lot.goes_into(box)


def packed_in(settled: Settled, box: Packaging) -> tuple[PackedParcel, ...]:
    """Return the one parcel that the goods make in a carrier's box.  Raises ValueError where they do not go in."""
    packed = _repack(settled, box)
    if isinstance(packed, Refused):
        raise ValueError(packed.detail)
    return packed


def _repack(settled: Settled, box: Packaging | None) -> tuple[PackedParcel, ...] | Refused:
    if box is None:
        return Refused("packaging", "the carrier's box is not in stock")
    if goes_into(settled, box):
        return (packing.parcel_of(settled.lot, box),)
    if settled.box and settled.box.code != box.code:
        return Refused("packaging", f"not in {settled.box.name}, which is chosen")
    if settled.divided:
        return Refused("packaging", f"goes as {len(settled.packed)} parcels, not in one {box.name}")
    if not settled.lot.measured:
        return Refused("packaging", f"nobody has said whether the goods fit into {box.name}: they have no size")
    return Refused("packaging", packing.too_full(settled.lot, box))


def priced_parcels(packed: Sequence[PackedParcel], tender: frozenset[str] = frozenset()) -> tuple[Parcel, ...]:
    """Return parcels as a rate card sees them: weight, outer size, and the carrier's packaging where it is one.

    Nothing may be put on those that hold one of the ``tender`` lines.
    """
    return tuple(
        Parcel(
            p.gross_g,
            p.outer,
            priced_as(p.packaging),
            bool(tender) and any(line in tender for line, _ in p.contents),
        )
        for p in packed
    )


def priced_as(packaging: Packaging | None) -> str | None:
    """Return a carrier's packaging as its rate card names it; None for any other."""
    return packaging.code if packaging and packaging.carrier else None
