"""What came of the offers: what buyers paid for sending by each, and what sending their orders cost."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.checkout.sold import Sold, sold_from
from tidewind.core.states.labels import LabelState
from tidewind.db.tables import CheckoutVersion, Order, Shipment
from tidewind.services.rates.rehearsing import LOOKED_BACK


@dataclass(slots=True)
class SoldByOffer:
    """One version of an offer: its orders that were sent, what they paid for it and cost, in minor units."""

    offer: str
    version: int
    name: str
    orders: int = 0
    paid: int = 0
    cost: int = 0


def sold_by_offer(session: Session, now: datetime) -> list[SoldByOffer]:
    """Return what came of each version of each offer in the last 90 days, newest version first."""
    cost = (
        select(Shipment.order_id, func.sum(Shipment.price_minor).label("cost"))
        .where(Shipment.state.in_(LabelState.TRAVELS), Shipment.bought_at > now - LOOKED_BACK)
        .group_by(Shipment.order_id)
        .subquery()
    )
    rows = session.execute(
        select(Order.offer, func.count(), func.sum(Order.paid_shipping_minor), func.sum(cost.c.cost))
        .join(cost, cost.c.order_id == Order.id)
        .where(Order.offer != "")
        .group_by(Order.offer)
    )
    names, found = _names(session), dict[tuple[int, str], SoldByOffer]()
    for reference, orders, paid, spent in rows:
        sold = sold_from(reference)
        if sold is None:
            continue
        name = names.get((sold.version, sold.offer), sold.offer)
        mine = found.setdefault((-sold.version, sold.offer), SoldByOffer(sold.offer, sold.version, name))
        mine.orders, mine.paid, mine.cost = mine.orders + orders, mine.paid + int(paid), mine.cost + int(spent)
    return [found[key] for key in sorted(found)]


def offer_name(session: Session, sold: Sold) -> str:
    """Return what an offer was called in the version by which it was sold."""
    return _names(session).get((sold.version, sold.offer), sold.offer)


def _names(session: Session) -> Mapping[tuple[int, str], str]:
    rows = session.execute(select(CheckoutVersion.id, CheckoutVersion.body))
    return {
        (version, offer["code"]): next(iter(offer["names"].values()), offer["code"])
        for version, body in rows
        for offer in body["offers"]
    }
