"""Plan orders: load what is needed once, ask the core, store plan and snags."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.choosing import Policy, Values
from tidewind.core.packing import PackedParcel
from tidewind.core.planning import Carrier, Hand, LineFacts, Offer, OrderFacts, Plan, Shop, plan
from tidewind.core.tariffs.card import RateCard, card_in_force
from tidewind.core.tariffs.engine import CompiledCard
from tidewind.core.tariffs.quote import Quote, explain
from tidewind.core.tariffs.written import BadCard, read_card
from tidewind.db.tables import CarrierAccount, Order, OrderLine, PackagingRow, Product, RateCardRow, SnagRow
from tidewind.db.tables import Shop as ShopRow
from tidewind.services.errors import Conflict, Invalid

_cards: dict[int, RateCard] = {}


def shop_settings(session: Session) -> ShopRow:
    """Return the shop's settings.  Raises Conflict before the shop is set up."""
    row = session.get(ShopRow, 1)
    if row is None:
        raise Conflict("no_shop", "The shop is not set up yet. Open the start page and do that first.")
    return row


def _card(row: RateCardRow) -> RateCard:
    """Return a version of a rate card as values; versions never change, so they are kept by their id."""
    if row.id not in _cards:
        card = read_card(row.body)
        if isinstance(card, BadCard):
            raise Invalid("bad_card", f"Rate card {row.id} cannot be used: {card.errors[0]}")
        _cards[row.id] = card
    return _cards[row.id]


@lru_cache(maxsize=64)
def _compiled(ids: tuple[int, ...], today: date, discounts: tuple[tuple[str, int], ...]) -> CompiledCard | None:
    card = card_in_force(tuple(_cards[i] for i in ids), today, today)
    return CompiledCard(card, today, dict(discounts)) if card else None


def carriers_in_force(session: Session, today: date) -> tuple[Carrier, ...]:
    """Return the active carriers with their cards compiled for ``today``; unchanged cards stay in memory."""
    rows = session.scalars(select(RateCardRow).order_by(RateCardRow.id)).all()
    found = []
    for account in session.scalars(select(CarrierAccount).where(CarrierAccount.active).order_by(CarrierAccount.id)):
        mine = tuple(row.id for row in rows if row.account_id == account.id and _card(row))
        own = _compiled(mine, today, tuple(sorted(account.discounts_bp.items())))
        published = _compiled(mine, today, ())
        if own and published:
            found.append(Carrier(account.code, account.name, own, published))
    return tuple(found)


def core_shop(session: Session, now: datetime) -> Shop:
    """Return everything outside an order that a plan depends on."""
    row = shop_settings(session)
    boxes = session.scalars(select(PackagingRow).where(PackagingRow.active).order_by(PackagingRow.code))
    today = now.astimezone(ZoneInfo(row.time_zone)).date()
    return Shop(
        packagings=tuple(box.to_core() for box in boxes),
        carriers=carriers_in_force(session, today),
        policy=Policy(row.policy),
        values=Values(row.day_value_minor, row.late_value_minor),
        now=now,
    )


def hand_of(stored: Mapping[str, Any]) -> Hand:
    """Return the hand edits of an order as values."""
    extras, ship_date = stored.get("extras"), stored.get("ship_date")
    return Hand(
        packaging=stored.get("packaging"),
        service=stored.get("service"),
        extras=frozenset(extras) if extras else None,
        ship_date=date.fromisoformat(ship_date) if ship_date else None,
    )


def _line(line: OrderLine, product: Product | None) -> LineFacts:
    return LineFacts(
        id=str(line.id),
        sku=line.sku,
        name=product.name if product else line.name or line.sku,
        quantity=line.quantity,
        weight_g=line.weight_g or (product.weight_g if product else None),
        sides=product.sides if product else None,
        value=line.unit_price_minor or (product.value_minor if product else 0),
        upright=bool(product and product.upright),
        own_box=bool(product and product.own_box),
        no_weekend=bool(product and product.no_weekend),
        contents=frozenset(product.contents if product else ()),
    )


def products_of(session: Session, orders: Iterable[Order]) -> dict[str, Product]:
    """Return the products named by the orders' lines, by SKU."""
    skus = {line.sku for order in orders for line in order.lines}
    return {p.sku: p for p in session.scalars(select(Product).where(Product.sku.in_(skus)))}


def facts_of(order: Order, products: Mapping[str, Product]) -> OrderFacts:
    """Return an order as planning sees it."""
    return OrderFacts(
        lines=tuple(_line(line, products.get(line.sku)) for line in order.lines),
        address=Address(**order.address),
        home=order.home,
        promise=order.promise_date,
        hand=hand_of(order.hand),
    )


def plan_orders(session: Session, orders: Sequence[Order], now: datetime) -> None:
    """Plan the open orders among ``orders`` anew and store plan and snags; what is bought is left alone."""
    waiting = [order for order in orders if order.state == "open"]
    shop = core_shop(session, now)
    products = products_of(session, waiting)
    for order in waiting:
        _store(order, plan(facts_of(order, products), shop), now)


def look_at(session: Session, order: Order, now: datetime) -> Plan:
    """Return the plan of an order with every offer, computed now and stored nowhere."""
    return plan(facts_of(order, products_of(session, [order])), core_shop(session, now))


def replan_where_sku(session: Session, sku: str, now: datetime) -> int:
    """Plan every open order that contains ``sku`` anew and return how many."""
    orders = session.scalars(
        select(Order).where(Order.state == "open", Order.lines.any(OrderLine.sku == sku)).with_for_update(of=Order)
    ).all()
    plan_orders(session, orders, now)
    return len(orders)


def replan_all(session: Session, now: datetime) -> int:
    """Plan every open order anew and return how many."""
    orders = session.scalars(select(Order).where(Order.state == "open").with_for_update(of=Order)).all()
    plan_orders(session, orders, now)
    return len(orders)


def _store(order: Order, made: Plan, now: datetime) -> None:
    chosen = None if made.stopped else made.chosen
    order.plan = {
        "parcels": [_parcel_json(p) for p in made.parcels],
        "service_name": chosen.name if chosen else None,
        "quote": quote_json(chosen) if chosen and chosen.quote else None,
        "trail": {
            name: [{"layer": s.layer, "value": s.value, "why": s.why} for s in steps]
            for name, steps in made.trail.items()
        },
    }
    order.carrier = chosen.carrier if chosen else None
    order.service = chosen.service if chosen else None
    order.network = chosen.network if chosen else None
    order.price_minor = chosen.quote.net if chosen and chosen.quote else None
    order.ship_date = chosen.arrival.ship_date if chosen and chosen.arrival else None
    order.arrives = chosen.arrival.latest if chosen and chosen.arrival else None
    order.parcel_count = len(made.parcels)
    order.plan_version += 1
    order.planned_at = now
    order.snags = [
        SnagRow(code=s.code, level=s.level, words=s.words[:500], fix=s.fix, about=s.about[:120]) for s in made.snags
    ]


def _parcel_json(parcel: PackedParcel) -> dict[str, Any]:
    packaging = parcel.packaging
    return {
        "packaging": packaging.code if packaging else None,
        "carrier_box": bool(packaging and packaging.carrier),
        "name": packaging.name if packaging else "Own carton",
        "contents": [[int(line), count] for line, count in parcel.contents],
        "goods_g": parcel.goods_g,
        "packaging_g": parcel.packaging_g,
        "padding_g": parcel.padding_g,
        "gross_g": parcel.gross_g,
        "sides_mm": [parcel.outer.longest, parcel.outer.middle, parcel.outer.shortest],
        "fill_percent": parcel.fill_percent,
    }


def quote_json(offer: Offer) -> dict[str, Any]:
    """Return an offer's quote with every line explained, ready to store or show."""
    quote = offer.quote
    if not isinstance(quote, Quote):
        raise ValueError(f"{offer.service} has no quote")
    return {
        "zone": quote.zone,
        "billable_g": quote.billable_g,
        "net_minor": quote.net,
        "tax_minor": quote.tax,
        "total_minor": quote.total,
        "published_net_minor": offer.published_net,
        "lines": [
            {"code": ln.code, "name": ln.name, "amount_minor": ln.amount, "parcel": ln.parcel, "basis": explain(ln)}
            for ln in quote.lines
        ],
    }
