"""From an order to its plan: parcels, service, price and arrival, with a trail that says which layer set what.

Layers, later ones win: shop default, then by hand.  What a person sets by hand survives re-planning.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime

from tidewind.core import packing
from tidewind.core.addresses.check import Address, check, is_po_box
from tidewind.core.calendar import Arrival, Timetable, arrival, ship_date_for
from tidewind.core.choosing import Option, Policy, Values, pick
from tidewind.core.packing import Packaging, PackedParcel, Unit
from tidewind.core.quantities import Refused, money_text, weight_text
from tidewind.core.snags import Snag
from tidewind.core.tariffs.card import Consignment, Parcel, Service
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.quote import Quote

SHOP, HAND = "shop default", "by hand"


@dataclass(frozen=True, slots=True)
class LineFacts:
    """One order line as planning sees it; weight and sides are None where nobody has said them yet."""

    id: str
    sku: str
    name: str
    quantity: int
    weight_g: int | None
    sides: tuple[int, int, int] | None
    value: int = 0
    upright: bool = False
    own_box: bool = False
    no_weekend: bool = False
    contents: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Hand:
    """What a person set for this order; None where nothing was set."""

    packaging: str | None = None
    service: str | None = None
    extras: frozenset[str] | None = None
    ship_date: date | None = None


@dataclass(frozen=True, slots=True)
class OrderFacts:
    """An order as planning sees it."""

    lines: tuple[LineFacts, ...]
    address: Address
    home: bool = True
    promise: date | None = None
    hand: Hand = Hand()

    @property
    def value(self) -> int:
        """What the goods are worth, in minor units."""
        return sum(line.value * line.quantity for line in self.lines)


@dataclass(frozen=True, slots=True)
class Carrier:
    """A carrier account with its card in force: at the shop's contract, and at published prices."""

    code: str
    name: str
    own: CompiledCard
    published: CompiledCard


@dataclass(frozen=True, slots=True)
class Shop:
    """Everything outside the order that a plan depends on; ``now`` is aware."""

    packagings: tuple[Packaging, ...]
    carriers: tuple[Carrier, ...]
    policy: Policy
    values: Values
    now: datetime


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
class Step:
    """One entry of the trail: the layer, what it set, and why."""

    layer: str
    value: str
    why: str


@dataclass(slots=True)
class Plan:
    """How an order will be sent: complete, or with a snag that stops it and then without a price."""

    parcels: tuple[PackedParcel, ...] = ()
    offers: tuple[Offer, ...] = ()
    chosen: Offer | None = None
    snags: list[Snag] = field(default_factory=list)
    trail: dict[str, list[Step]] = field(default_factory=dict)

    @property
    def stopped(self) -> bool:
        """Whether a snag stops this order."""
        return any(s.level == "stops" for s in self.snags)

    def set(self, name: str, layer: str, value: str, why: str) -> None:
        """Note in the trail that ``layer`` set ``name``; earlier entries are what it overrode."""
        self.trail.setdefault(name, []).append(Step(layer, value, why))


def plan(order: OrderFacts, shop: Shop) -> Plan:
    """Return the complete plan of an order, or one with snags; never raises for what an order may contain."""
    result = Plan()
    result.snags += _address_snags(order.address)
    result.snags += _product_snags(order.lines)
    if any(s.fix in {"product_weight", "product_size"} for s in result.snags) or not order.lines:
        return result
    units = [unit for line in order.lines for unit in _units(line)]
    parcels = _pack(result, units, order.hand, shop.packagings)
    if isinstance(parcels, Refused):
        result.snags.append(_packing_snag(parcels, order.lines))
        return result
    result.parcels = parcels
    if any(s.fix == "address" for s in result.snags):
        return result
    result.offers = tuple(offers_for(order, shop, units, parcels))
    _choose(result, order, shop)
    return result


def _address_snags(address: Address) -> list[Snag]:
    return [
        Snag("postcode_shape" if fault.code == "shape" else "address_incomplete", "stops",
             fault.words[0].upper() + fault.words[1:], "address", fault.field)
        for fault in check(address)
    ]  # fmt: skip


def _product_snags(lines: Sequence[LineFacts]) -> list[Snag]:
    snags = []
    for sku, name, missing_weight, missing_size in sorted(
        {(ln.sku, ln.name, ln.weight_g is None, ln.sides is None) for ln in lines}
    ):
        if missing_weight:
            snags.append(Snag("no_weight", "stops", f"“{name}” has no weight", "product_weight", sku))
        if missing_size:
            snags.append(Snag("no_size", "stops", f"“{name}” has no size", "product_size", sku))
    return snags


def _units(line: LineFacts) -> list[Unit]:
    if line.weight_g is None or line.sides is None:
        raise ValueError(f"{line.sku} has no weight or size")
    return [Unit(line.id, line.sides, line.weight_g, line.upright, line.own_box)] * line.quantity


def _pack(
    result: Plan, units: Sequence[Unit], hand: Hand, packagings: Sequence[Packaging]
) -> tuple[PackedParcel, ...] | Refused:
    own = [p for p in packagings if p.carrier is None]
    by_fit = packing.pack(units, own)
    if not isinstance(by_fit, Refused):
        why = "the smallest that everything fits into" if len(by_fit) == 1 else "one box will not do"
        result.set("packaging", SHOP, parcels_text(by_fit), why)
    picked = next((p for p in packagings if p.code == hand.packaging), None)
    if picked is None:
        return by_fit
    by_hand = packing.pack(units, [picked])
    if isinstance(by_hand, Refused):
        return Refused("hand_packaging", f"not everything fits into {picked.name}, chosen by hand")
    result.set("packaging", HAND, parcels_text(by_hand), "set for this order")
    return by_hand


def parcels_text(parcels: Sequence[PackedParcel]) -> str:
    """Name the packaging of a shipment in a few words: one box by its name, several by their number."""
    names = [p.packaging.name if p.packaging else "Own carton" for p in parcels]
    return names[0] if len(names) == 1 else f"{len(names)} parcels"


def _packing_snag(refused: Refused, lines: Sequence[LineFacts]) -> Snag:
    by_id = {line.id: line for line in lines}
    line = by_id.get(refused.detail)
    words = f"“{line.name}” fits into no box" if line else refused.detail[0].upper() + refused.detail[1:]
    return Snag(refused.reason, "stops", words, "packaging", line.sku if line else "")


def offers_for(order: OrderFacts, shop: Shop, units: Sequence[Unit], parcels: tuple[PackedParcel, ...]) -> list[Offer]:
    """Return every service of every carrier for this order, quoted or refused with its reason."""
    boxes = {p.code: p for p in shop.packagings}
    return [
        _offer(order, shop, carrier, compiled.service, units, parcels, boxes)
        for carrier in shop.carriers
        for compiled in carrier.own.services.values()
    ]


def _offer(
    order: OrderFacts, shop: Shop, carrier: Carrier, service: Service, units: Sequence[Unit],
    parcels: tuple[PackedParcel, ...], boxes: Mapping[str, Packaging],
) -> Offer:  # fmt: skip
    refused: Refused | None = None
    hand_box = boxes.get(order.hand.packaging or "")
    if service.packaging:
        repacked = _repack(units, boxes.get(service.packaging))
        if isinstance(repacked, Refused):
            refused = repacked
        else:
            parcels = repacked
        if hand_box and hand_box.code != service.packaging:
            refused = Refused("packaging", f"not in {hand_box.name}, chosen by hand")
    made = Offer(carrier.code, service.code, service.name, service.network, parcels, None, refused, None)
    if refused:
        return made
    consignment = consignment_of(order, parcels)
    quoted = carrier.own.quote(service.code, consignment)
    if isinstance(quoted, Refused):
        return _with(made, refused=quoted)
    published = carrier.published.quote(service.code, consignment)
    when = _arrival(order, shop, carrier, service, quoted.zone)
    return _with(made, quote=quoted, arrival=when, published=published.net if isinstance(published, Quote) else None)


def _with(
    made: Offer, *, quote: Quote | None = None, refused: Refused | None = None, arrival: Arrival | None = None,
    published: int | None = None,
) -> Offer:  # fmt: skip
    return Offer(made.carrier, made.service, made.name, made.network, made.parcels, quote, refused, arrival, published)


def _repack(units: Sequence[Unit], box: Packaging | None) -> tuple[PackedParcel, ...] | Refused:
    if box is None:
        return Refused("packaging", "the carrier's box is not in stock")
    if any(u.own_box for u in units) or not packing.fits(units, box):
        return Refused("packaging", f"not everything fits into {box.name}")
    return (packing.parcel_of(units, box),)


def consignment_of(order: OrderFacts, parcels: Sequence[PackedParcel]) -> Consignment:
    """Return what the carriers are asked to price."""
    return Consignment(
        country=order.address.country,
        postcode=order.address.postcode,
        home=order.home,
        parcels=tuple(
            Parcel(p.gross_g, p.outer, p.packaging.code if p.packaging and p.packaging.carrier else None)
            for p in parcels
        ),
        value=order.value,
        contents=frozenset().union(*(line.contents for line in order.lines)),
        extras=order.hand.extras or frozenset(),
        po_box=is_po_box(order.address),
    )


def _arrival(order: OrderFacts, shop: Shop, carrier: Carrier, service: Service, zone: str) -> Arrival:
    card = carrier.own.card
    network = next(n for n in card.networks if n.id == service.network)
    timetable = Timetable(network.cutoff, card.time_zone, card.country)
    earliest = ship_date_for(shop.now, timetable)
    leaves = max(earliest, order.hand.ship_date) if order.hand.ship_date else earliest
    no_weekend = any(line.no_weekend for line in order.lines)
    return arrival(leaves, timetable, service.transit[zone], order.address.country, no_weekend=no_weekend)


def _choose(result: Plan, order: OrderFacts, shop: Shop) -> None:
    usable = {o.service: o for o in result.offers if o.quote and o.arrival}
    options = [Option(key, o.quote.net, o.arrival.latest) for key, o in usable.items() if o.quote and o.arrival]
    best = pick(options, shop.policy, order.promise, shop.values)
    if best:
        result.chosen = usable[best.key]
        result.set("service", SHOP, result.chosen.name, f"choice policy: {shop.policy.replace('_', ' ')}")
    by_hand = next((o for o in result.offers if o.service == order.hand.service), None)
    if by_hand:
        result.set("service", HAND, by_hand.name, "set for this order")
        result.chosen = by_hand if by_hand.quote else None
        if by_hand.refused:
            words = f"{by_hand.name}, chosen by hand, cannot take it: {by_hand.refused.detail}"
            result.snags.append(Snag("service_refused", "stops", words, "service"))
    elif not best:
        result.snags.append(Snag("no_service", "stops", _no_service_words(result.offers), "service"))
    if result.chosen:
        _settle(result, result.chosen, order)


def _no_service_words(offers: Sequence[Offer]) -> str:
    going = [o for o in offers if o.refused and o.refused.reason != "not_served"]
    reasons = "; ".join(f"{o.name}: {o.refused.detail}" for o in going[:2] if o.refused)
    return f"No service takes it. {reasons}" if reasons else "No service goes there"


def _settle(result: Plan, chosen: Offer, order: OrderFacts) -> None:
    """Take over the chosen offer's parcels and note weight, extras, ship date and price in the trail."""
    if chosen.parcels != result.parcels:
        result.parcels = chosen.parcels
        result.set("packaging", SHOP, parcels_text(chosen.parcels), f"goes with {chosen.name}")
    goods = sum(p.goods_g for p in chosen.parcels)
    own = sum(p.packaging_g for p in chosen.parcels)
    padding = sum(p.padding_g for p in chosen.parcels)
    parts = f"goods {weight_text(goods)} + packaging {weight_text(own)} + padding {weight_text(padding)}"
    result.set("weight", SHOP, weight_text(goods + own + padding), parts)
    if order.hand.extras:
        result.set("extras", HAND, ", ".join(sorted(order.hand.extras)), "set for this order")
    if chosen.arrival and chosen.quote:
        why = chosen.arrival.waits_because or "the next truck it can catch"
        layer = HAND if order.hand.ship_date else SHOP
        result.set("ship_date", layer, chosen.arrival.ship_date.isoformat(), why)
        result.set("price", SHOP, money_text(chosen.quote.net), "the sum of its lines")
        if order.promise and chosen.arrival.latest > order.promise:
            late = (chosen.arrival.latest - order.promise).days
            words = f"Arrives {late} {'day' if late == 1 else 'days'} after the promise"
            result.snags.append(Snag("promise_missed", "warns", words, "service"))
