"""Which offers a basket gets, at which price, and why the others are not among them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from typing import Literal

from tidewind.core.checkout.arithmetic import PriceStep, adjusted, vat_in
from tidewind.core.checkout.offer import ByTable, Flat, Live, Offer, PerItem, PerKilogram
from tidewind.core.checkout.tables import MEASURES, By, RateTable, amount_text
from tidewind.core.quantities import percent_of, steps_begun
from tidewind.core.tariffs.quote import percent_text

Source = Literal["live", "own", "fallback"]
"""Whether a price was made of what carriers ask, of the shop's own figures, or is the one for want of an answer."""


@dataclass(frozen=True, slots=True)
class BasketLine:
    """One line of a basket: how many of what, what a piece costs in minor units, and its product's tags."""

    sku: str
    quantity: int
    unit_price: int = 0
    tags: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Basket:
    """What a shopper is about to order, and where it goes; ``discount`` in minor units, ``local`` the shop's clock.

    ``place``: the name of where its parcels would leave from.
    """

    lines: tuple[BasketLine, ...]
    country: str
    postcode: str
    region: str = ""
    discount: int = 0
    channel: str = ""
    group: str = ""
    place: str = ""
    local: datetime = datetime(2000, 1, 1)  # noqa: DTZ001 - a clock on the wall of the shop

    @property
    def items(self) -> int:
        """How many pieces it has."""
        return sum(line.quantity for line in self.lines)

    def value(self, counts: str) -> int:
        """What it is worth before or after discounts, in minor units."""
        before = sum(line.unit_price * line.quantity for line in self.lines)
        return before if counts == "before" else max(before - self.discount, 0)


@dataclass(frozen=True, slots=True)
class ServicePrice:
    """What a service costs for the packed basket (net minor units), or why it does not take it.

    ``waits``: nobody has its price now, its carrier would have to be asked.
    """

    code: str
    name: str
    net: int | None = None
    refused: str = ""
    waits: bool = False
    earliest: date | None = None
    latest: date | None = None


@dataclass(frozen=True, slots=True)
class PackedBasket:
    """A basket as it would be packed: parcels, gross grams, cubic centimetres, what each service makes of it.

    Where it cannot be packed, grams and volume are those of its goods; None is not known, and never nothing.
    ``words`` name the boxes, ``boxes`` are their codes; ``refused`` says why it could not be packed; ``unplaced``:
    only since the address is not whole yet, so that no service can be asked.  ``abroad``: it leaves the country.
    ``later`` are the services of what is packed so many working days later, where an offer takes that long.
    """

    words: str = ""
    parcels: int = 1
    gross_g: int | None = 0
    volume_cm3: int | None = 0
    abroad: bool = False
    services: Mapping[str, ServicePrice] = field(default_factory=dict)
    refused: str = ""
    unplaced: bool = False
    boxes: tuple[str, ...] = ()
    later: Mapping[int, Mapping[str, ServicePrice]] = field(default_factory=dict)

    def takers(self, offer: Offer) -> list[ServicePrice]:
        """Return what the services of an offer make of the basket, packed when that offer packs it."""
        services = self.later.get(offer.packing_days, self.services)
        return [services[code] for code in offer.services if code in services]


@dataclass(frozen=True, slots=True)
class Offered:
    """What a shopper sees: name, price in minor units, arrival; and, for us, every step to it and where it comes from.

    ``to_free`` is how much more the basket must be worth for it to be free, where that is to be had; ``duties`` what
    the recipient will probably be asked for at a border, none where no border is crossed or nobody knows; ``vat`` what
    of the price is the shop's VAT, 0 where it sells without.
    """

    code: str
    name: str
    price: int
    source: Source
    steps: tuple[PriceStep, ...]
    service: str = ""
    earliest: date | None = None
    latest: date | None = None
    to_free: int | None = None
    duties: int | None = None
    vat: int = 0


@dataclass(frozen=True, slots=True)
class Absent:
    """An offer that this basket does not get, and why."""

    code: str
    name: str
    why: str


@dataclass(frozen=True, slots=True)
class Answer:
    """What a basket is offered, in the order of the offers, and what it is not."""

    offered: tuple[Offered, ...]
    absent: tuple[Absent, ...]


@dataclass(frozen=True, slots=True)
class _Asked:
    """What an offer is asked about, and the tables by their code."""

    tables: Mapping[str, RateTable]
    basket: Basket
    packed: PackedBasket
    currency: str
    language: str
    vat_bp: int


def answer(
    offers: Sequence[Offer],
    tables: Mapping[str, RateTable],
    basket: Basket,
    packed: PackedBasket,
    currency: str,
    language: str = "",
    vat_bp: int = 0,
) -> Answer:
    """Return what a basket is offered; ``tables`` by their code, ``vat_bp`` the VAT (basis points) in its prices.

    What a carrier costs is known without VAT, which is put on it first; the shop's own prices are written with it.
    """
    asked = _Asked(tables, basket, packed, currency, language, vat_bp)
    offered: list[Offered] = []
    absent: list[Absent] = []
    for offer in offers:
        found = _not_for(offer, basket, packed, currency) or _offered(offer, asked)
        if isinstance(found, str):
            absent.append(Absent(offer.code, offer.name_in(language), found))
        else:
            offered += [replace(line, vat=vat_in(line.price, vat_bp)) for line in found]
    return Answer(tuple(offered), tuple(absent))


def _not_for(offer: Offer, basket: Basket, packed: PackedBasket, currency: str) -> str:
    """Return why an offer is not for a basket, empty where it is; the first reason counts."""
    if not offer.on:
        return "it is switched off"
    if offer.channels and basket.channel not in offer.channels:
        return "it is for other channels"
    if offer.places and basket.place not in offer.places:
        return "it is for parcels from other places"
    if not offer.reach.holds(basket.country, basket.postcode, basket.region):
        return "it does not go there"
    if not offer.times.hold(basket.local):
        return "it is not open now"
    return _outside(offer, basket, packed, currency) or _barred(offer, basket)


def _outside(offer: Offer, basket: Basket, packed: PackedBasket, currency: str) -> str:
    """Return which measure of a basket lies outside an offer's limits, with the limit."""
    measured: tuple[tuple[By, int | None, tuple[int | None, int | None]], ...] = (
        ("weight_g", packed.gross_g, offer.limits.weight_g),
        ("value", basket.value("before"), offer.limits.value),
        ("items", basket.items, offer.limits.items),
    )
    for what, amount, (least, most) in measured:
        if amount is None:
            if least is not None or most is not None:
                return f"the {MEASURES[what]} is not known, and it has a limit"
            continue
        if least is not None and amount < least:
            return f"the {MEASURES[what]} is below {amount_text(what, least, currency)}"
        if most is not None and amount > most:
            return f"the {MEASURES[what]} is above {amount_text(what, most, currency)}"
    return ""


def _barred(offer: Offer, basket: Basket) -> str:
    """Return which product keeps a basket from an offer."""
    limits, skus = offer.limits, {line.sku for line in basket.lines}
    if limits.skus and not skus <= limits.skus:
        return f"it is not for {min(skus - limits.skus)}"
    if skus & limits.not_skus:
        return f"it is not for {min(skus & limits.not_skus)}"
    if limits.tags and not all(line.tags & limits.tags for line in basket.lines):
        return "it is for products with other tags"
    barred = frozenset().union(*(line.tags for line in basket.lines)) & limits.not_tags
    return f"it is not for products tagged {min(barred)}" if barred else ""


def _offered(offer: Offer, asked: _Asked) -> list[Offered] | str:
    """Return what an offer is for a basket: one line, several of a live one, or why it is not to be had."""
    packed = asked.packed
    takers = packed.takers(offer)
    priced = sorted((s for s in takers if s.net is not None), key=lambda s: (s.net, s.latest or date.max))
    if isinstance(offer.price, Live):
        if not priced:
            return _for_want(offer, asked, takers)
        chosen = priced if offer.price.each else priced[:1]
        return [_line(offer, asked, (s.net or 0, _compared(priced, s)), "live", s) for s in chosen]
    if offer.takes and not any(s.net is not None or s.waits for s in takers):
        return _why_not(takers, packed)
    price = _own_price(offer, asked)
    return price if isinstance(price, str) else [_line(offer, asked, price, "own", next(iter(priced), None))]


def _compared(priced: Sequence[ServicePrice], one: ServicePrice) -> str:
    others = ", ".join(s.name for s in priced if s is not one)
    return f"{one.name} for the packed basket" + (f"; also asked: {others}" if others else "")


def _for_want(offer: Offer, asked: _Asked, takers: Sequence[ServicePrice]) -> list[Offered] | str:
    """Return the fallback of a live offer where a carrier did not answer; where all refuse the basket, why."""
    packed = asked.packed
    asked_nobody = packed.unplaced or (not packed.refused and any(s.waits for s in takers))
    if not asked_nobody:
        return _why_not(takers, packed)
    group = dict(offer.groups).get(asked.basket.group)
    price = offer.fallback.abroad if packed.abroad else offer.fallback.home
    if price is None and group is None:
        return "no carrier answered, and there is no fallback for that"
    why = f"{packed.refused}: the fallback" if packed.unplaced else "no carrier answered: the fallback"
    steps, to_free = [] if price is None else [PriceStep(why, price)], _to_free(offer, asked.basket)
    if group is not None:  # whatever the carrier would have said, this group pays its own price
        steps.append(PriceStep(f"the price of {asked.basket.group}", group))
    if to_free == 0:
        steps.append(PriceStep("free from this value on", 0))
    name = offer.name_in(asked.language)
    return [Offered(offer.code, name, steps[-1].price, "fallback", tuple(steps), to_free=to_free)]


def _why_not(takers: Sequence[ServicePrice], packed: PackedBasket) -> str:
    if packed.refused:
        return packed.refused
    if not takers:
        return "no carrier has its services any more"
    return "; ".join(f"{s.name}: {s.refused or 'not asked'}" for s in takers)


Made = tuple[int, str]
"""A price in minor units, and where it comes from, in words."""


def _own_price(offer: Offer, asked: _Asked) -> Made | str:
    """Return a price that the shop makes itself and where it comes from, or why there is none."""
    match offer.price:
        case Flat(price):
            return price, "always the same"
        case PerItem(first, further):
            items = asked.basket.items
            return first + further * max(items - 1, 0), f"{items} items"
        case PerKilogram(base, kilogram):
            if asked.packed.gross_g is None:
                return "the weight of its goods is not known"
            begun = steps_begun(asked.packed.gross_g, 1000)
            return base + kilogram * begun, f"{begun} kg begun"
        case ByTable(code):
            return _by_table(asked.tables.get(code), code, asked)
        case _:
            return "it has no price"


def _by_table(table: RateTable | None, code: str, asked: _Asked) -> Made | str:
    if table is None:
        return f"there is no table {code}"
    basket, packed = asked.basket, asked.packed
    amounts = {
        "weight_g": packed.gross_g,
        "value": basket.value("before"),
        "items": basket.items,
        "volume_cm3": packed.volume_cm3,
    }
    row = table.row_for(basket.country, basket.postcode, basket.region)
    if row is None:
        return f"table {table.name} has no row for there"
    if packed.unplaced and table.parts(basket.country):
        return f"table {table.name} parts {basket.country} by postcode or region, and the address is not whole yet"
    amount = amounts[table.by]
    if amount is None:
        return f"table {table.name} goes by {MEASURES[table.by]}, and that of its goods is not known"
    band = table.band_for(amount)
    if band is None:
        last = amount_text(table.by, table.bands[-1], asked.currency)
        return f"above the last band of table {table.name}, {last} ({MEASURES[table.by]})"
    price = table.rows[row].prices[band]
    where = f"row {row + 1}, band {band + 1}"
    return f"table {table.name} offers nothing in {where}" if price is None else (price, f"table {table.name}, {where}")


def _line(offer: Offer, asked: _Asked, made: Made, source: Source, service: ServicePrice | None) -> Offered:
    """Return what the shopper sees of an offer that starts from a price, made by a service where one is named."""
    basket, to_free = asked.basket, _to_free(offer, asked.basket)
    steps = [PriceStep(made[1], made[0])]
    if source == "live" and asked.vat_bp:
        words = f"with {percent_text(asked.vat_bp)} VAT"
        steps.append(PriceStep(words, made[0] + percent_of(made[0], asked.vat_bp)))
    group = dict(offer.groups).get(basket.group)
    if group is not None:
        steps.append(PriceStep(f"the price of {basket.group}", group))
    else:
        steps += adjusted(steps[-1].price, offer.adjusting, asked.packed.parcels, basket.items, asked.currency)
    if to_free == 0:
        steps.append(PriceStep("free from this value on", 0))
    line = Offered(offer.code, offer.name_in(asked.language), steps[-1].price, source, tuple(steps), to_free=to_free)
    return line if service is None else _by_service(line, offer, service)


def _by_service(line: Offered, offer: Offer, service: ServicePrice) -> Offered:
    """Return a line with the service it goes by and, where the offer shows it, when that arrives."""
    if isinstance(offer.price, Live) and offer.price.each:
        line = replace(line, code=f"{offer.code}:{service.code}", name=service.name)
    line = replace(line, service=service.code)
    if offer.shows == "nothing" or service.latest is None:
        return line
    return replace(line, earliest=service.earliest if offer.shows == "span" else None, latest=service.latest)


def _to_free(offer: Offer, basket: Basket) -> int | None:
    """Return how much more a basket must be worth for an offer to be free; 0 where it is, None where it never is."""
    if offer.free is None:
        return None
    return max(offer.free.from_value - basket.value(offer.free.counts), 0)
