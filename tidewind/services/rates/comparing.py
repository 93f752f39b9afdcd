"""Compare services for one order, and for a quote without any order."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core import comparing
from tidewind.core.addresses.check import Address
from tidewind.core.addresses.countries import country_code
from tidewind.core.comparing import Compared
from tidewind.core.consignments import CONTENTS
from tidewind.core.options import Settled, settle, with_extras
from tidewind.core.order_facts import LineFacts, OrderFacts, Shop
from tidewind.core.packing import PackedParcel, Unit
from tidewind.core.planning import plan
from tidewind.core.quantities import Size
from tidewind.db.tables import CarrierRow, Order, Place
from tidewind.services.base import Invalid, NotFound, Outside
from tidewind.services.orders import get_order
from tidewind.services.planning import all_facts, core_shop, plan_orders
from tidewind.services.rates.asked_prices import PricesAsked, ToAsk, ask_prices, forget_old_answers, questions_asked

MOST_REFRESHED = 20
REFRESHED_AFTER = timedelta(minutes=12)


@dataclass(frozen=True, slots=True)
class Comparison:
    """What was compared: the order as planning sees it, the shop, the shipment, and every service in every box."""

    facts: OrderFacts
    shop: Shop
    settled: Settled
    compared: Compared


@dataclass(frozen=True, slots=True)
class QuotedParcel:
    """A parcel of a quote: gross weight in g, outer sides in mm, how many such, and whether nothing may lie on it."""

    weight_g: int
    sides_mm: tuple[int, int, int]
    count: int = 1
    not_stackable: bool = False


@dataclass(frozen=True, slots=True)
class QuoteRequest:
    """What a quote is asked for, without any order; ``place_id`` None: the default place."""

    to: Address
    home: bool
    parcels: tuple[QuotedParcel, ...]
    value: int = 0
    contents: frozenset[str] = frozenset()
    extras: frozenset[str] = frozenset()
    ship_date: date | None = None
    place_id: int | None = None
    point: str = ""
    promise: date | None = None


def compare_order(
    session: Session, order_id: int, now: datetime, extras: frozenset[str] | None = None
) -> Comparison | None:
    """Return an order's services × boxes, with other extras where given; None while it cannot be packed or sent."""
    facts = all_facts(session, [get_order(session, order_id)])[0]
    return _compare(facts, core_shop(session, now), extras)


def _compare(facts: OrderFacts, shop: Shop, extras: frozenset[str] | None) -> Comparison | None:
    shop = shop.on_account(facts.hand.account)
    settled = plan(facts, shop).settled
    if settled is None:
        return None
    if extras is not None:
        settled = with_extras(settled, shop, extras)
    return Comparison(facts, shop, settled, comparing.compare(facts, shop, settled))


def quote_services(session: Session, asked: QuoteRequest, now: datetime) -> Comparison:
    """Return every service for a shipment that is not an order.  Raises Invalid, NotFound."""
    return _quoted(asked, _shop_from(session, asked.place_id, now))


def _shop_from(session: Session, place_id: int | None, now: datetime) -> Shop:
    shop = core_shop(session, now)
    if place_id is None:
        return shop
    place = session.get(Place, place_id)
    if place is None:
        raise NotFound("unknown_place", "This place does not exist.")
    return replace(shop, origin=place.address)


def _quoted(asked: QuoteRequest, shop: Shop) -> Comparison:
    if country_code(asked.to.country) != asked.to.country:
        raise Invalid("no_country", "Say which country it goes to, by its name or two-letter code (ISO 3166).")
    if unknown := asked.contents - set(CONTENTS):
        raise Invalid("unknown_contents", f"Nobody asks about {min(unknown)}; contents are {', '.join(CONTENTS)}.")
    lines = (
        LineFacts("1", "", "Parcel", 1, 1, (1, 1, 1), asked.value, contents=asked.contents),
        LineFacts("2", "", "Parcel", 1, 1, (1, 1, 1), not_stackable=True),
    )
    facts = OrderFacts(lines, asked.to, home=asked.home, promise=asked.promise, point=asked.point)
    parcels = tuple(
        PackedParcel(None, (("2" if p.not_stackable else "1", 1),), p.weight_g, 0, 0, Size.of(*p.sides_mm), 100)
        for p in asked.parcels
        for _ in range(p.count)
    )
    # One parcel may go into a carrier's one-price box instead, if it fits in there as it is.
    units = (
        [Unit(parcels[0].contents[0][0], asked.parcels[0].sides_mm, asked.parcels[0].weight_g)]
        if len(parcels) == 1
        else []
    )
    settled = settle(facts, shop, parcels, asked.extras, asked.value, units, asked.ship_date, divided=not units)
    with_theirs = replace(shop, packagings=tuple(box for box in shop.packagings if box.carrier))
    return Comparison(facts, with_theirs, settled, comparing.compare(facts, with_theirs, settled))


def questions_of(comparison: Comparison) -> tuple[ToAsk, ...]:
    """Return what the live carriers must be asked for a comparison: each way to pack, and their own packaging."""
    facts, settled = comparison.facts, comparison.settled
    return questions_asked(comparison.shop, lambda live: comparing.compare(facts, live, settled))


def ask_prices_of_order(
    sessions: sessionmaker[Session], outside: Outside, order_id: int, extras: frozenset[str] | None, now: datetime
) -> PricesAsked:
    """Ask the live carriers what an order costs in each box; its plan then goes by what they answered."""
    with sessions() as session:
        comparison = compare_order(session, order_id, now, extras)
        wanted = questions_of(comparison) if comparison else ()
    asked = ask_prices(sessions, outside, wanted, now)
    with sessions.begin() as session:
        plan_orders(session, [get_order(session, order_id, lock=True)], now)
    return asked


def refresh_asked_prices(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> int:
    """Ask again for waiting orders that go by a live price about to be too old; return how many were looked at.

    Where the carrier does not answer, the order is stopped by a snag that says so: no price rather than an old one.
    """
    with sessions.begin() as session:
        forget_old_answers(session, clock())
        live = select(CarrierRow.code).where(CarrierRow.asks_prices, CarrierRow.active)
        due = session.scalars(
            select(Order.id)
            .where(Order.state == "open", Order.carrier.in_(live), Order.planned_at < clock() - REFRESHED_AFTER)
            .order_by(Order.id)
            .limit(MOST_REFRESHED)
        ).all()
    for order_id in due:
        ask_prices_of_order(sessions, outside, order_id, None, clock())
    return len(due)


def ask_prices_of_quote(
    sessions: sessionmaker[Session], outside: Outside, asked: QuoteRequest, now: datetime
) -> PricesAsked:
    """Ask the live carriers for a quote without an order."""
    with sessions() as session:
        wanted = questions_of(quote_services(session, asked, now))
    return ask_prices(sessions, outside, wanted, now)
