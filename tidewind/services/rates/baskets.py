"""A basket at the checkout: packed as it will be, every service asked, and what of that a shopper is offered."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import partial

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.addresses.countries import country_code
from tidewind.core.checkout.answering import Answer, Basket, BasketLine, Offered, PackedBasket, ServicePrice, answer
from tidewind.core.checkout.holding import holds_until
from tidewind.core.checkout.written import Checkout
from tidewind.core.customs.planned import Going, Leaving, border_of, crosses, leaving_of
from tidewind.core.options import Option, options_among
from tidewind.core.order_facts import Carrier, LineFacts, OrderFacts, Shop
from tidewind.core.parcels import parcels_text
from tidewind.core.planning import plan_parcels
from tidewind.core.quantities import Size
from tidewind.core.tariffs.live import NOT_KNOWN
from tidewind.db.tables import Product
from tidewind.services.base import Invalid
from tidewind.services.planning import carriers_in_force, core_shop, line_facts, shop_day
from tidewind.services.rates.asked_prices import Key, ToAsk, questions_asked
from tidewind.services.rates.in_time import listening_to, take_in
from tidewind.services.rates.memory import LOADING, Known, Told, key_now, know, known_for, known_in, still_known
from tidewind.services.rates.offers import checkout_in_force, next_checkout

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
    """What a basket is offered, by which version, and how it was packed; ``assumed`` names what nobody has measured.

    ``waits_for``: what carriers would have to be asked first.  ``brief``: a carrier's own answer is in it, or the want
    of one.  ``bodies``: the answer as it was written, by format.
    """

    version: int
    currency: str
    answer: Answer
    packed: PackedBasket
    assumed: tuple[str, ...]
    waits_for: tuple[ToAsk, ...] = ()
    keep_s: int = 0
    brief: bool = False
    bodies: dict[str, tuple[bytes, str]] = field(default_factory=dict, compare=False)


def offers_for(
    session: Session, asked: BasketAsked, now: datetime, draft: Checkout | None = None, *, anew: bool = False
) -> CheckoutAnswer:
    """Return what a basket is offered; by a ``draft``, where one is tried that is not saved.

    The same basket is answered from memory (unless ``anew``) until something changes that its prices are made of.
    Raises Invalid for a basket without goods, with too many, or that goes nowhere.
    """
    _check(asked)
    key = key_now(session, now)
    known = known_for(session, key, now)
    if known is None:
        with LOADING:  # one reads the shop, and whoever asks meanwhile waits for what it found
            known = known_for(session, key, now) or know(session, _now_known(session, key, now))
    _learn(session, asked, known)
    if draft is not None:
        return _answered(asked, known, 0, draft, partial(take_in, session, known.told))
    found = None if anew else known.answer_to(asked)
    if isinstance(found, CheckoutAnswer):
        return found
    return _kept(asked, known, partial(take_in, session, known.told))


def offers_by_heart(state: tuple[object, ...], asked: BasketAsked, now: datetime) -> CheckoutAnswer | None:
    """Return what a basket is offered in the state that ``key_now`` gave, made without a look at the database.

    None where something of it is not known here, or a carrier has to be asked.  Raises Invalid as ``offers_for`` does.
    """
    _check(asked)
    known = known_in(state, now)
    if known is None or not all(sku in known.products for sku, _, _ in asked.lines):
        return None
    found = known.answer_to(asked)
    if isinstance(found, CheckoutAnswer):
        return found
    found = _answered(asked, known, known.version, known.checkout, lambda _: False)
    if found.waits_for:  # what carriers have answered meanwhile stands in the database
        return None
    known.remember(asked, found, brief=found.brief)
    return found


def _kept(asked: BasketAsked, known: Known, take: Take) -> CheckoutAnswer:
    found = _answered(asked, known, known.version, known.checkout, take)
    known.remember(asked, found, [one.key for one in found.waits_for], brief=found.brief)
    return found


Take = Callable[[Iterable[ToAsk]], bool]
"""Takes in what carriers have answered meanwhile to questions, and tells whether there was anything new."""


def _learn(session: Session, asked: BasketAsked, known: Known) -> None:
    """Look up the products of a basket that nobody has asked for yet."""
    missing = {sku for sku, _, _ in asked.lines} - known.products.keys()
    if missing:
        rows = session.scalars(select(Product).where(Product.sku.in_(missing)))
        found = {p.sku: line_facts("", p.sku, p.name, 0, None, 0, p) for p in rows}
        known.products.update({sku: found.get(sku) for sku in missing})


def _trucks(carriers: Sequence[Carrier]) -> list[object]:
    """Return what of the carriers other rooms change all day: which departures take nothing more or leave sooner."""
    return [(carrier.code, carrier.gone, carrier.sooner) for carrier in carriers]


def kept_offers(state: tuple[object, ...], asked: BasketAsked, now: datetime) -> CheckoutAnswer | None:
    """Return an answer that is kept, and was looked through for the state that ``key_now`` gave."""
    known = known_in(state, now)
    found = known.answer_to(asked) if known else None
    return found if isinstance(found, CheckoutAnswer) else None


def _now_known(session: Session, key: tuple[object, ...], now: datetime) -> Known:
    """Return what is known now: what was known, where only time has passed, else everything read again."""
    known = still_known(session, key, now)
    if known is not None and _trucks(carriers_in_force(session, shop_day(session, now))) == _trucks(
        known.read.carriers
    ):
        return known.later(key, listening_to(known.told, replace(known.read, now=now)))
    told: Told = {}
    shop, (version, checkout) = core_shop(session, now), checkout_in_force(session, now)
    until = min([holds_until(shop, checkout.offers), *next_checkout(session, now)])
    return Known(key, shop, listening_to(told, shop), until, version, checkout, told)


def _answered(asked: BasketAsked, known: Known, version: int, checkout: Checkout, take: Take) -> CheckoutAnswer:
    shop, wanted = known.shop, _wanted(checkout)
    lines, assumed = _lines(asked, known)
    packed, waits_for = pack_basket(lines, asked, shop, wanted)
    if waits_for and take(waits_for):
        packed, waits_for = pack_basket(lines, asked, shop, wanted)
    basket = Basket(
        tuple(BasketLine(line.sku, line.quantity, line.value, line.tags) for line in lines),
        asked.country,
        asked.postcode,
        asked.region,
        asked.discount,
        asked.channel,
        asked.group,
        shop.place,
        shop.local.replace(tzinfo=None),
    )
    to = Address(country=asked.country, postcode=asked.postcode)
    order, leaving = OrderFacts(tuple(lines), to), leaving_of(shop)
    abroad = crosses(order, leaving)
    # What is exported is sold without VAT (Directive 2006/112/EC, article 146).
    vat_bp = 0 if abroad else checkout.vat_bp
    found = answer(checkout.offers, checkout.by_code, basket, packed, shop.currency, asked.language, vat_bp)
    if abroad and packed.gross_g is not None:  # duties of what has no weight are not known
        going = Going(gross_g=packed.gross_g, parcels=packed.parcels)
        found = replace(found, offered=tuple(_with_duties(line, order, leaving, going) for line in found.offered))
    asked_ones = {code for carrier in shop.carriers if carrier.own.live for code in carrier.own.services}
    brief = any(not asked_ones.isdisjoint(services) for services in packed.later.values())
    return CheckoutAnswer(version, shop.currency, found, packed, assumed, waits_for, checkout.keep_s, brief)


Wanted = Mapping[int, Collection[str]]
"""The services that offers ask about, by how many working days those offers take to pack."""


def _wanted(checkout: Checkout) -> Wanted:
    found: dict[int, set[str]] = {}
    for offer in checkout.offers:
        found.setdefault(offer.packing_days, set()).update(offer.services)
    return found


def _with_duties(line: Offered, order: OrderFacts, leaving: Leaving, going: Going) -> Offered:
    """Return a line with what the recipient will probably be asked for at the border."""
    border = border_of(replace(order, paid_shipping=line.price), leaving, going)
    due = border.due if border else None
    return replace(line, duties=due.in_order_minor if due and due.known else None)


def _check(asked: BasketAsked) -> None:
    if country_code(asked.country) != asked.country:
        raise Invalid("no_country", "Say which country it goes to, by its two-letter code (ISO 3166).")
    if not asked.lines or len(asked.lines) > MOST_LINES:
        raise Invalid("no_lines", f"A basket has between 1 and {MOST_LINES} lines.")
    if any(pieces < 1 for _, pieces, _ in asked.lines) or sum(n for _, n, _ in asked.lines) > MOST_PIECES:
        raise Invalid("pieces", f"A basket has at least one piece of each line, and at most {MOST_PIECES:,} in all.")


def _lines(asked: BasketAsked, known: Known) -> tuple[list[LineFacts], tuple[str, ...]]:
    """Return the lines with what the catalogue knows, and the SKUs of which something had to be assumed."""
    lines, assumed = [], []
    for number, (sku, pieces, price) in enumerate(asked.lines, 1):
        facts = known.products[sku] or LineFacts("", sku, sku, 0, None, None)
        line = replace(facts, id=str(number), quantity=pieces, value=price or facts.value)
        if line.weight_g is None or (line.sides is None and not line.own_box):
            assumed.append(sku)
            line = replace(line, weight_g=line.weight_g or ASSUMED_G, sides=line.sides or ASSUMED_MM)
        lines.append(line)
    return lines, tuple(dict.fromkeys(assumed))


PackedAndAsked = tuple[PackedBasket, tuple[ToAsk, ...]]


def pack_basket(lines: Sequence[LineFacts], asked: BasketAsked, shop: Shop, wanted: Wanted) -> PackedAndAsked:
    """Return a basket as its order would be packed, with what each wanted service makes of it on the day it is packed.

    With it come the questions to which carriers have not answered yet.
    """
    known = {"country": asked.country, "postcode": asked.postcode, "region": asked.region}
    to = Address(name=BUYER, street=BUYER, city=asked.city or BUYER, **known)
    order = OrderFacts(tuple(lines), to, home=asked.home, channel=asked.channel, point=ANY_POINT)
    abroad = asked.country != shop.origin.country
    made = plan_parcels(order, shop)
    if made.settled is None:
        stops = [snag for snag in made.snags if snag.level == "stops"]
        why = "; ".join(snag.words for snag in stops) or "it cannot be packed"
        unplaced = bool(stops) and all(snag.fix == "address" for snag in stops)
        goods = PackedBasket(gross_g=_goods_weight(lines), volume_cm3=_goods_volume(lines))
        return replace(goods, abroad=abroad, refused=why, unplaced=unplaced), ()
    packed = made.settled.packed
    services: dict[int, dict[str, ServicePrice]] = {}
    questions: dict[Key, ToAsk] = {}
    for days, codes in wanted.items():
        then, ready = shop.when_packed(days)
        settled = made.settled if then is shop else replace(made.settled, not_before=ready)
        price = partial(options_among, order, settled=settled, codes=codes)
        services[days] = {option.service: _service(option) for option in price(then)}
        if any(service.waits for service in services[days].values()):
            questions.update((one.key, one) for one in questions_asked(then, price))
    packed_basket = PackedBasket(
        words=parcels_text(packed),
        boxes=tuple(parcel.packaging.code if parcel.packaging else "own" for parcel in packed),
        parcels=len(packed),
        gross_g=sum(parcel.gross_g for parcel in packed),
        volume_cm3=sum(_volume(parcel.outer) for parcel in packed),
        abroad=abroad,
        services=services.get(0, {}),
        later=services,
    )
    return packed_basket, tuple(questions.values())


def _goods_weight(lines: Sequence[LineFacts]) -> int | None:
    """Return the grams of goods without any box; None where one of them has no weight yet."""
    weights = [(line.weight_g, line.quantity) for line in lines]
    return None if any(weight is None for weight, _ in weights) else sum((w or 0) * many for w, many in weights)


def _goods_volume(lines: Sequence[LineFacts]) -> int | None:
    """Return the cubic centimetres of goods without any box; None where one of them has no size yet."""
    sizes = [(line.sides, line.quantity) for line in lines]
    if any(sides is None for sides, _ in sizes):
        return None
    return -(-sum(math.prod(sides or ()) * many for sides, many in sizes) // 1000)


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
