"""Compare services for one order, for many at once, and for a quote without any order."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from typing import Any, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core import comparing
from tidewind.core.addresses.check import Address
from tidewind.core.choosing import Option, Policy, pick
from tidewind.core.comparing import Compared
from tidewind.core.insuring import INSURED
from tidewind.core.offers import Sending, consignment_of, fitting_parcels, offer_arrival, offers_for
from tidewind.core.order_facts import Carrier, LineFacts, OrderFacts, Shop
from tidewind.core.packing import PackedParcel, Unit
from tidewind.core.planning import plan
from tidewind.core.quantities import Size
from tidewind.core.tariffs.card import Consignment, Service
from tidewind.core.tariffs.live import Answers
from tidewind.core.tariffs.load import Load, load_of
from tidewind.core.tariffs.quote import Quote
from tidewind.core.tariffs.totals import REFUSED, totals
from tidewind.db.tables import CarrierRow, Order, Place
from tidewind.services import live_prices
from tidewind.services.buying import MOST_ORDERS
from tidewind.services.errors import Invalid, NotFound
from tidewind.services.orders import get_order
from tidewind.services.planning import all_facts, plan_orders
from tidewind.services.shop_facts import core_shop
from tidewind.services.world import Outside

MOST_REFRESHED = 20
REFRESHED_AFTER = timedelta(minutes=12)


@dataclass(frozen=True, slots=True)
class Comparison:
    """What was compared: the order as planning sees it, the shop, the shipment, and every service in every box."""

    facts: OrderFacts
    shop: Shop
    sending: Sending
    compared: Compared


@dataclass(frozen=True, slots=True)
class QuotedParcel:
    """A parcel of a quote: gross weight in g, outer sides in mm, and how many such."""

    weight_g: int
    sides_mm: tuple[int, int, int]
    count: int = 1


@dataclass(frozen=True, slots=True)
class QuoteAsk:
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
) -> Comparison | None:  # fmt: skip
    """Return an order's services × boxes, with other extras where given; None while it cannot be packed or sent."""
    facts = all_facts(session, [get_order(session, order_id)])[0]
    return _compare(facts, core_shop(session, now), extras)


def _compare(facts: OrderFacts, shop: Shop, extras: frozenset[str] | None) -> Comparison | None:
    shop = shop.on_account(facts.hand.account)
    sending = plan(facts, shop).sending
    if sending is None:
        return None
    if extras is not None:
        sending = replace(sending, extras=extras)
    return Comparison(facts, shop, sending, comparing.compare(facts, shop, sending))


def quote(session: Session, asked: QuoteAsk, now: datetime) -> Comparison:
    """Return every service for a shipment that is not an order.  Raises Invalid, NotFound."""
    return _quoted(asked, _shop_from(session, asked.place_id, now))


def _shop_from(session: Session, place_id: int | None, now: datetime) -> Shop:
    shop = core_shop(session, now)
    if place_id is None:
        return shop
    place = session.get(Place, place_id)
    if place is None:
        raise NotFound("unknown_place", "This place does not exist.")
    return replace(shop, origin=Address(**place.address))


def _quoted(asked: QuoteAsk, shop: Shop) -> Comparison:
    if not asked.to.country:
        raise Invalid("no_country", "Say which country it goes to.")
    line = LineFacts("1", "", "Parcel", 1, 1, (1, 1, 1), asked.value, contents=asked.contents)
    facts = OrderFacts((line,), asked.to, home=asked.home, promise=asked.promise, point=asked.point)
    parcels = tuple(
        PackedParcel(None, (("1", 1),), p.weight_g, 0, 0, Size.of(*p.sides_mm), 100)
        for p in asked.parcels
        for _ in range(p.count)
    )
    # One parcel may go into a carrier's one-price box instead, if it fits in there as it is.
    units = [Unit("1", asked.parcels[0].sides_mm, asked.parcels[0].weight_g)] if len(parcels) == 1 else []
    sending = Sending(units, parcels, asked.extras, asked.value, asked.ship_date, divided=not units)
    with_theirs = replace(shop, packagings=tuple(box for box in shop.packagings if box.carrier))
    return Comparison(facts, with_theirs, sending, comparing.compare(facts, with_theirs, sending))


def questions(comparison: Comparison) -> list[Consignment]:
    """Return what the live carriers must be asked for a comparison: each way to pack, and their own packaging."""
    asking = live_prices.Asking()
    shop = comparison.shop
    live = tuple(
        Carrier(c.code, c.name, c.own.with_answers(Answers(asking.find, shop.now)), c.published)
        for c in shop.carriers
        if c.own.live
    )
    if live:
        comparing.compare(comparison.facts, replace(shop, carriers=live), comparison.sending)
    return list(asking.questions.values())


def ask_for_order(
    sessions: sessionmaker[Session], outside: Outside, order_id: int, extras: frozenset[str] | None, now: datetime
) -> live_prices.Asked:
    """Ask the live carriers what an order costs in each box; its plan then goes by what they answered."""
    with sessions() as session:
        comparison = compare_order(session, order_id, now, extras)
        wanted = questions(comparison) if comparison else []
    asked = live_prices.ask(sessions, outside, wanted, now)
    with sessions.begin() as session:
        plan_orders(session, [get_order(session, order_id, lock=True)], now)
    return asked


def refresh_live(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> int:
    """Ask again for waiting orders that go by a live price about to be too old; return how many were looked at.

    Where the carrier does not answer, the order is stopped by a snag that says so: no price rather than an old one.
    """
    with sessions.begin() as session:
        live_prices.forget_old(session, clock())
        live = select(CarrierRow.code).where(CarrierRow.asks_prices, CarrierRow.active)
        due = session.scalars(
            select(Order.id).where(
                Order.state == "open", Order.carrier.in_(live), Order.planned_at < clock() - REFRESHED_AFTER
            ).order_by(Order.id).limit(MOST_REFRESHED)
        ).all()  # fmt: skip
    for order_id in due:
        ask_for_order(sessions, outside, order_id, None, clock())
    return len(due)


def ask_for_quote(
    sessions: sessionmaker[Session], outside: Outside, asked: QuoteAsk, now: datetime
) -> live_prices.Asked:  # fmt: skip
    """Ask the live carriers for a quote without an order."""
    with sessions() as session:
        wanted = questions(quote(session, asked, now))
    return live_prices.ask(sessions, outside, wanted, now)


@dataclass(slots=True)
class MatrixRow:
    """One order across all services: net price in minor units and latest day, None where it is refused."""

    order: Order
    chosen: str | None
    by_hand: str | None
    prices: list[int | None]
    arrives: list[date | None]
    picks: dict[str, str] = field(default_factory=dict)


@dataclass(slots=True)
class Matrix:
    """Orders × services."""

    services: list[tuple[Carrier, Service]]
    rows: list[MatrixRow]
    policy: Policy


def matrix(session: Session, order_ids: Sequence[int], now: datetime) -> Matrix:
    """Return the totals of waiting orders by every service; those that a snag stops are left out.

    Prices come from the vectorised computation, live services from what their carriers have answered.
    """
    if len(order_ids) > MOST_ORDERS:
        raise Invalid("too_many", f"Compare at most {MOST_ORDERS:,} orders at once.")
    found = session.scalars(
        select(Order).where(Order.id.in_(order_ids), Order.state == "open").order_by(Order.id)
    ).all()
    shop = core_shop(session, now)
    usable = [order for order in found if order.plan.get("parcels") and not _stopped(order)]
    waiting = list(zip(usable, all_facts(session, usable), strict=True))
    sendings = [_sending_of(order, facts, shop) for order, facts in waiting]
    rows = [MatrixRow(order, order.service, order.hand.get("service"), [], []) for order, _ in waiting]
    services: list[tuple[Carrier, Service]] = []
    orders = [facts for _, facts in waiting]
    usual = [consignment_of(f, shop, s.parcels, s.extras, s.value) for f, s in zip(orders, sendings, strict=True)]
    as_packed = _Packed(list(range(len(usual))), usual, load_of(usual))
    for carrier in shop.carriers:
        columns = _columns(carrier, shop, orders, sendings, as_packed)
        for service, prices, arrives in columns:
            services.append((carrier, service))
            for row, price, day in zip(rows, prices, arrives, strict=True):
                row.prices.append(price)
                row.arrives.append(day)
    for row, (_, facts), sending in zip(rows, waiting, sendings, strict=True):
        if facts.hand.account or INSURED in sending.extras:
            _by_itself(row, services, facts, shop, sending)
        row.picks = _picks(row, services, facts, shop)
    return Matrix(services, rows, shop.policy)


def _by_itself(
    row: MatrixRow, services: Sequence[tuple[Carrier, Service]], facts: OrderFacts, shop: Shop, sending: Sending
) -> None:
    """Price an order that is bound to one account, or covered by an insurer: the columns know of neither."""
    offers = {o.service: o for o in offers_for(facts, shop.on_account(facts.hand.account), sending)}
    mine = [offers.get(service.code) for _, service in services]
    row.prices = [o.quote.net if o and o.quote else None for o in mine]
    row.arrives = [o.arrival.latest if o and o.arrival else None for o in mine]


def _stopped(order: Order) -> bool:
    """Tell whether a snag keeps an order from having a price; a choice of service that cannot be does not."""
    return any(snag.level == "stops" and snag.fix not in {"service", "approve"} for snag in order.snags)


def _sending_of(order: Order, facts: OrderFacts, shop: Shop) -> Sending:
    """Return the shipment a plan has made; planned again only where it lies in a carrier's own packaging."""
    if any(p["carrier_box"] for p in order.plan["parcels"]) or order.hand.get("parcels"):
        made = plan(facts, shop)
        if made.sending:
            return made.sending
    parcels = tuple(_parcel_of(p, shop) for p in order.plan["parcels"])
    units = [
        Unit(ln.id, ln.sides, ln.weight_g, ln.upright, ln.own_box)
        for ln in facts.lines
        for _ in range(ln.quantity)
        if ln.sides and ln.weight_g
    ]
    box = shop.boxes.get(order.hand.get("packaging", ""))
    divided = len(parcels) > 1
    extras, value = frozenset(order.plan.get("extras", [])), order.plan.get("value_minor", facts.value)
    earliest = order.hand.get("ship_date")
    return Sending(units, parcels, extras, value, date.fromisoformat(earliest) if earliest else None, box, divided)


def _parcel_of(stored: Mapping[str, Any], shop: Shop) -> PackedParcel:
    a, b, c = stored["sides_mm"]
    return PackedParcel(
        packaging=shop.boxes.get(stored["packaging"] or ""),
        contents=tuple((str(line), int(count)) for line, count in stored["contents"]),
        goods_g=stored["goods_g"],
        packaging_g=stored["packaging_g"],
        padding_g=stored["padding_g"],
        outer=Size.of(a, b, c),
        fill_percent=stored["fill_percent"],
    )


class _Packed(NamedTuple):
    """Orders in one kind of packaging: which of all they are, what carriers are asked, and that as columns."""

    rows: list[int]
    consignments: list[Consignment]
    load: Load


def _columns(
    carrier: Carrier, shop: Shop, orders: Sequence[OrderFacts], sendings: Sequence[Sending], as_packed: _Packed
) -> Iterable[tuple[Service, list[int | None], list[date | None]]]:
    """Return a carrier's services with prices and days for every order; one load for all that take any packaging."""
    loads: dict[str | None, _Packed] = {None: as_packed}
    for compiled in carrier.own.services.values():
        box = compiled.service.packaging
        if box not in loads:
            fitting = [(n, fitting_parcels(s, shop.boxes.get(box or ""))) for n, s in enumerate(sendings)]
            inside = [(n, p) for n, p in fitting if p is not None]
            consignments = [
                consignment_of(orders[n], shop, p, sendings[n].extras, sendings[n].value) for n, p in inside
            ]
            loads[box] = _Packed([n for n, _ in inside], consignments, load_of(consignments))
    priced = {box: totals(carrier.own, packed.load) for box, packed in loads.items()}
    for column, compiled in enumerate(carrier.own.services.values()):
        service = compiled.service
        rows, consignments, _ = loads[service.packaging]
        prices: list[int | None] = [None] * len(orders)
        arrives: list[date | None] = [None] * len(orders)
        nets = priced[service.packaging].net[:, column].tolist() if consignments else []
        for n, consignment, net in zip(rows, consignments, nets, strict=True):
            told = _told(carrier, service, consignment) if service.kind == "live" else net
            where = carrier.own.where(consignment)
            if told != REFUSED and where is not None:
                prices[n] = told
                arrives[n] = offer_arrival(
                    orders[n], shop, carrier, service, where.zone.id, consignment.extras, sendings[n].not_before
                ).latest
        yield service, prices, arrives


def _told(carrier: Carrier, service: Service, consignment: Consignment) -> int:
    quoted = carrier.own.quote(service.code, consignment)
    return quoted.net if isinstance(quoted, Quote) else REFUSED


def _picks(
    row: MatrixRow, services: Sequence[tuple[Carrier, Service]], facts: OrderFacts, shop: Shop
) -> dict[str, str]:  # fmt: skip
    """Return what each policy would pick for an order."""
    options = [
        Option(service.code, price, day, shop.late_bp(service.code, carrier.code))
        for (carrier, service), price, day in zip(services, row.prices, row.arrives, strict=True)
        if price is not None and day is not None and not service.approval
    ]
    policies = [policy for policy in Policy if shop.ranking or policy is not Policy.RANKING]
    found = {policy: pick(options, policy, facts.promise, shop.values, shop.ranking) for policy in policies}
    return {policy.value: option.key for policy, option in found.items() if option}
