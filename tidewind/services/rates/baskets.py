"""A basket at the checkout: packed as it will be, every service asked, and what of that a shopper is offered."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.addresses.countries import country_code
from tidewind.core.checkout.answering import Answer, Basket, BasketLine, PackedBasket, ServicePrice, answer
from tidewind.core.checkout.written import Checkout
from tidewind.core.options import Option, options_for
from tidewind.core.order_facts import LineFacts, OrderFacts, Shop
from tidewind.core.parcels import parcels_text
from tidewind.core.planning import plan
from tidewind.core.quantities import Size
from tidewind.core.tariffs.live import NOT_KNOWN
from tidewind.db.tables import Product
from tidewind.services.base import Invalid
from tidewind.services.planning import core_shop, line_facts
from tidewind.services.rates.memory import LOADING, Known, key_now, know, known_for
from tidewind.services.rates.offers import checkout_in_force

MOST_LINES, MOST_PIECES = 100, 2_000
BUYER = "Buyer"
"""Stands for what a shopper has not typed yet; the price does not go by it."""
ANY_POINT = "chosen by the buyer"
"""Which shop or locker it will be is not known yet, and does not change a price."""
ASSUMED_G, ASSUMED_MM = 500, (200, 150, 100)
"""What a piece is taken for of which nobody has said weight or size (shop policy); the answer says so."""


@dataclass(frozen=True, slots=True)
class BasketAsked:
    """A basket as a store sends it: (SKU, pieces, price of a piece) and where it goes; the shop's minor units."""

    lines: tuple[tuple[str, int, int], ...]
    country: str
    postcode: str = ""
    city: str = ""
    region: str = ""
    discount: int = 0
    channel: str = ""
    group: str = ""
    language: str = ""
    home: bool = True


@dataclass(frozen=True, slots=True)
class CheckoutAnswer:
    """What a basket is offered, by which version, and how it was packed; ``assumed`` names what nobody has measured."""

    version: int
    currency: str
    answer: Answer
    packed: PackedBasket
    assumed: tuple[str, ...]


def offers_for(session: Session, asked: BasketAsked, now: datetime, draft: Checkout | None = None) -> CheckoutAnswer:
    """Return what a basket is offered; by a ``draft``, where one is tried that is not saved.

    The same basket is answered from memory until something changes that its prices are made of.
    Raises Invalid for a basket without goods, with too many, or that goes nowhere.
    """
    _check(asked)
    key = key_now(session, now)
    known = known_for(session, key)
    if known is None:
        with LOADING:  # one reads the shop, and whoever asks meanwhile waits for what it found
            known = known_for(session, key) or know(session, _read(session, key, now))
    if draft is not None:
        return _answered(session, asked, known, 0, draft)
    found = known.answers.get(asked)
    if not isinstance(found, CheckoutAnswer):
        found = _answered(session, asked, known, known.version, known.checkout)
        known.remember(asked, found)
    return found


def _read(session: Session, key: tuple[object, ...], now: datetime) -> Known:
    return Known(key, core_shop(session, now), *checkout_in_force(session, now))


def _answered(session: Session, asked: BasketAsked, known: Known, version: int, checkout: Checkout) -> CheckoutAnswer:
    shop = known.shop
    lines, assumed = _lines(session, asked, known)
    packed = pack_basket(lines, asked, shop, {code for offer in checkout.offers for code in offer.services})
    basket = Basket(
        tuple(BasketLine(line.sku, line.quantity, line.value, line.tags) for line in lines),
        asked.country,
        asked.postcode,
        asked.region,
        asked.discount,
        asked.channel,
        asked.group,
        shop.local.replace(tzinfo=None),
    )
    found = answer(checkout.offers, checkout.by_code, basket, packed, shop.currency, asked.language)
    return CheckoutAnswer(version, shop.currency, found, packed, assumed)


def _check(asked: BasketAsked) -> None:
    if country_code(asked.country) != asked.country:
        raise Invalid("no_country", "Say which country it goes to, by its two-letter code (ISO 3166).")
    if not asked.lines or len(asked.lines) > MOST_LINES:
        raise Invalid("no_lines", f"A basket has between 1 and {MOST_LINES} lines.")
    if any(pieces < 1 for _, pieces, _ in asked.lines) or sum(n for _, n, _ in asked.lines) > MOST_PIECES:
        raise Invalid("pieces", f"A basket has at least one piece of each line, and at most {MOST_PIECES:,} in all.")


def _lines(session: Session, asked: BasketAsked, known: Known) -> tuple[list[LineFacts], tuple[str, ...]]:
    """Return the lines with what the catalogue knows, and the SKUs of which something had to be assumed."""
    missing = {sku for sku, _, _ in asked.lines} - known.products.keys()
    if missing:
        rows = session.scalars(select(Product).where(Product.sku.in_(missing)))
        found = {p.sku: line_facts("", p.sku, p.name, 0, None, 0, p) for p in rows}
        known.products.update({sku: found.get(sku) for sku in missing})
    lines, assumed = [], []
    for number, (sku, pieces, price) in enumerate(asked.lines, 1):
        facts = known.products[sku] or LineFacts("", sku, sku, 0, None, None)
        line = replace(facts, id=str(number), quantity=pieces, value=price or facts.value)
        if line.weight_g is None or (line.sides is None and not line.own_box):
            assumed.append(sku)
            line = replace(line, weight_g=line.weight_g or ASSUMED_G, sides=line.sides or ASSUMED_MM)
        lines.append(line)
    return lines, tuple(dict.fromkeys(assumed))


def pack_basket(lines: Sequence[LineFacts], asked: BasketAsked, shop: Shop, wanted: Collection[str]) -> PackedBasket:
    """Return a basket as its order would be packed, with what each wanted service makes of it."""
    known = {"country": asked.country, "postcode": asked.postcode, "region": asked.region}
    to = Address(name=BUYER, street=BUYER, city=asked.city or BUYER, **known)
    order = OrderFacts(tuple(lines), to, home=asked.home, channel=asked.channel, point=ANY_POINT)
    abroad = asked.country != shop.origin.country
    made = plan(order, shop)
    if made.settled is None:
        stops = [snag for snag in made.snags if snag.level == "stops"]
        why = "; ".join(snag.words for snag in stops) or "it cannot be packed"
        unplaced = bool(stops) and all(snag.fix == "address" for snag in stops)
        return PackedBasket(abroad=abroad, refused=why, unplaced=unplaced)
    packed = made.settled.packed
    options = [o for o in options_for(order, shop, made.settled) if o.service in wanted]
    return PackedBasket(
        words=parcels_text(packed),
        parcels=len(packed),
        gross_g=sum(parcel.gross_g for parcel in packed),
        volume_cm3=sum(_volume(parcel.outer) for parcel in packed),
        abroad=abroad,
        services={option.service: _service(option) for option in options},
    )


def _volume(outer: Size) -> int:
    return -(-outer.mm3 // 1000)


def _service(option: Option) -> ServicePrice:
    refused, due = option.refused, option.arrival
    return ServicePrice(
        option.service,
        option.name,
        option.quote.net if option.quote else None,
        refused.detail if refused else "",
        bool(refused and refused.reason in NOT_KNOWN),
        due.earliest if due and option.quote else None,
        due.latest if due and option.quote else None,
    )
