"""A rehearsal of the checkout over the orders that were sent in the last 90 days."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import func, select
from sqlalchemy.orm import Session, selectinload

from tidewind.core.checkout.answering import Basket, BasketLine
from tidewind.core.checkout.rehearsing import (
    AtValue,
    CheckoutRehearsal,
    SentOrder,
    Turn,
    curve_of,
    proposed,
    rehearse_checkout,
)
from tidewind.core.checkout.written import Checkout
from tidewind.core.destinations import crosses_customs
from tidewind.core.quantities import Size
from tidewind.core.states.labels import LabelState
from tidewind.db.tables import Order, Place, Product, Shipment
from tidewind.services.base import Invalid
from tidewind.services.planning import shop_day, shop_settings

LOOKED_BACK = timedelta(days=90)
MOST_ORDERS, POINTS = 5_000, 12
"""The newest so many orders are rehearsed; a curve has so many points."""


@dataclass(frozen=True, slots=True)
class OffersRehearsed:
    """What the offers would have brought, the same by those in force, and the curve of one offer that is turned."""

    made: CheckoutRehearsal
    now: CheckoutRehearsal
    curve: tuple[AtValue, ...]
    proposed: AtValue | None
    currency: str
    days: int


def rehearse_offers(
    session: Session,
    draft: Checkout,
    in_force: Checkout,
    offer: str,
    rising_bp: int,
    now: datetime,
    turn: Turn = "free",
) -> OffersRehearsed:
    """Return what a draft would have brought over the last 90 days; with an ``offer``, its curve as it is turned, too.

    Raises Invalid for an offer that the draft has not.
    """
    if offer and all(one.code != offer for one in draft.offers):
        raise Invalid("unknown_offer", f"There is no offer {offer[:30]}.")
    currency, orders = shop_settings(session).currency, _kept_orders(session, now)
    made, today = (rehearse_checkout(one, orders, currency) for one in (draft, in_force))
    curve: list[AtValue] = []
    if offer and orders:
        curve = curve_of(draft, offer, orders, currency, _values(turn, orders), turn, rising_bp)
    return OffersRehearsed(made, today, tuple(curve), proposed(curve, today.margin), currency, LOOKED_BACK.days)


def _values(turn: Turn, orders: list[SentOrder]) -> list[int]:
    """Return the values that are tried: from 20 % off to 35 % on, or prices around what sending cost in the middle."""
    if turn == "percent":
        return [step * 500 for step in range(-4, 8)]
    if turn == "flat":
        costs = sorted(order.cost for order in orders)
        step = max(round(costs[len(costs) // 2] * 2 / POINTS / 10), 1) * 10
        return [step * n for n in range(1, POINTS + 1)]
    return _thresholds(orders)


def _thresholds(orders: list[SentOrder]) -> list[int]:
    """Return values from a quarter of the middle basket to four times it, on whole fives of the currency."""
    values = sorted(order.basket.value("before") for order in orders)
    middle = values[len(values) // 2]
    step = max(round(middle * 4 / POINTS / 500), 1) * 500
    return [step * n for n in range(1, POINTS + 1)]


_kept: dict[str, tuple[tuple[object, ...], list[SentOrder]]] = {}
"""The orders of the last rehearsal: while somebody types at an offer, the same ones are asked for again and again."""


def _kept_orders(session: Session, now: datetime) -> list[SentOrder]:
    travels = Shipment.state.in_(LabelState.TRAVELS)
    stamp = session.execute(select(func.max(Shipment.id), func.count(Shipment.id)).where(travels)).one()
    key = (str(session.get_bind().engine.url), shop_day(session, now), *stamp)
    if _kept.get("orders", ((), []))[0] != key:
        _kept["orders"] = (key, sent_orders(session, now))
    return _kept["orders"][1]


def sent_orders(session: Session, now: datetime) -> list[SentOrder]:
    """Return the orders that were sent lately as a rehearsal sees them, the newest first."""
    query = (
        select(Shipment)
        .join(Order, Order.id == Shipment.order_id)
        .where(Shipment.state.in_(LabelState.TRAVELS), Shipment.bought_at > now - LOOKED_BACK)
        .where(Order.part_of.is_(None), Order.joined_to.is_(None), Order.currency == "")
        .options(selectinload(Shipment.labels), selectinload(Shipment.order).selectinload(Order.lines))
        .order_by(Shipment.id.desc())
        .limit(MOST_ORDERS)
    )
    zone = ZoneInfo(shop_settings(session).time_zone)
    home = session.execute(select(Place.address, Place.name).where(Place.is_default)).one_or_none()
    tags = {sku: frozenset(known) for sku, known in session.execute(select(Product.sku, Product.tags))}
    found, seen = [], set[int]()
    for shipment in session.scalars(query):
        if shipment.order_id in seen:
            continue
        seen.add(shipment.order_id)
        order, parcels = shipment.order, [label.parcel for label in shipment.labels]
        lines = tuple(
            BasketLine(line.sku, line.quantity, line.unit_price_minor, tags.get(line.sku, frozenset()))
            for line in order.lines
        )
        to = shipment.address
        basket = Basket(
            lines, to.country, to.postcode, to.region, channel=order.channel.code, place=home.name if home else "",
            local=order.ordered_at.astimezone(zone).replace(tzinfo=None),
        )  # fmt: skip
        volume = sum(-(-Size.of(*parcel.sides_mm).mm3 // 1000) for parcel in parcels)
        grams = sum(parcel.gross_g for parcel in parcels)
        abroad = home is not None and to.country != home.address.country
        sums = (shipment.price_minor, order.paid_shipping_minor)
        exported = home is not None and crosses_customs(to, home.address)
        found.append(SentOrder(order.number, basket, grams, volume, len(parcels) or 1, abroad, *sums, exported))
    return found
