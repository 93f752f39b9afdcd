"""What an order meets at its border: as planned while it waits, as declared once it was bought."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.customs.declaration import Sold, declare
from tidewind.core.customs.duties import Estimate, Journey, estimate
from tidewind.core.customs.needs import snags_of
from tidewind.core.customs.planned import Border, Going, Leaving, border_of
from tidewind.core.customs.said import NOTHING_SAID, CustomsSaid
from tidewind.core.customs.written import read_border, told_to_carrier, write_border
from tidewind.core.destinations import crosses_customs, customs_land
from tidewind.core.states.labels import LabelState
from tidewind.core.stored import first_known
from tidewind.core.written import Written
from tidewind.db.tables import Order, Shipment
from tidewind.services.base import NotFound
from tidewind.services.planning import (
    all_facts,
    carriers_in_force,
    customs_book,
    default_place,
    shop_day,
    shop_settings,
)


@dataclass(frozen=True, slots=True)
class OrderBorder:
    """An order's border, what was said of it by hand, and whether it stands as it was declared at the purchase."""

    order: Order
    border: Border | None
    said: CustomsSaid
    bought: bool


def leaving_now(session: Session, day: date) -> Leaving:
    """Return what customs asks of the shop.  Raises Conflict where no place is set that parcels leave from."""
    shop = shop_settings(session)
    return Leaving(default_place(session).address, shop.currency, customs_book(session, shop), day)


def _posts(session: Session, day: date) -> dict[tuple[str, str], str]:
    return {(c.code, s.code): s.post for c in carriers_in_force(session, day) for s in c.own.card.services}


def _going(order: Order, posts: dict[tuple[str, str], str]) -> Going:
    parcels = order.plan.parcels
    return Going(
        order.carrier or "",
        posts.get((order.carrier or "", order.service or ""), ""),
        order.plan.extras,
        sum(parcel.gross_g for parcel in parcels),
        max(1, len(parcels)),
    )


def look_at_border(session: Session, order_id: int, now: datetime) -> OrderBorder:
    """Return what an order meets at its border.  Raises NotFound."""
    order = session.get(Order, order_id)
    if order is None:
        raise NotFound("unknown_order", "This order does not exist.")
    return border_of_order(session, order, now)


def border_of_order(session: Session, order: Order, now: datetime) -> OrderBorder:
    """Return what an order meets at its border."""
    said = order.hand.customs or NOTHING_SAID
    kept = session.scalars(
        select(Shipment.customs)
        .where(Shipment.order_id == order.id, Shipment.state.in_(LabelState.COUNTS))
        .order_by(Shipment.id.desc())
        .limit(1)
    ).first()
    if kept:
        return OrderBorder(order, read_border(kept["border"]), said, bought=True)
    day = shop_day(session, now)
    leaving = leaving_now(session, day)
    (facts,) = all_facts(session, [order])
    return OrderBorder(order, border_of(facts, leaving, _going(order, _posts(session, day))), said, bought=False)


@dataclass(frozen=True, slots=True)
class Declared:
    """What is declared with a purchase, in the form that shipments keep (``told`` goes to the carrier).

    ``stops`` says why customs would not let it in, by the tables as they stand this moment; empty where nothing does.
    """

    kept: Written
    stops: str


def borders_to_buy(session: Session, orders: Sequence[Order], now: datetime) -> dict[int, Declared]:
    """Return what would be declared with the purchases of orders, by their id.

    Plans follow a change of the tables a little later; what is bought goes by the tables themselves.  Orders that
    cross no border are left out, and cost nothing.
    """
    day = shop_day(session, now)
    leaving = leaving_now(session, day)
    crossing = [order for order in orders if crosses_customs(order.address, first_known(order.sender, leaving.origin))]
    if not crossing:
        return {}
    posts, made = _posts(session, day), {}
    for order, facts in zip(crossing, all_facts(session, crossing), strict=True):
        border = border_of(facts, leaving, _going(order, posts))
        if border:
            stops = next((snag.words for snag in snags_of(border.needs) if snag.level == "stops"), "")
            kept = {"border": write_border(border), "told": _told(border, leaving, order)}
            made[order.id] = Declared(kept, stops)
    return made


def _told(border: Border, leaving: Leaving, order: Order) -> Written:
    wanted = {kind for need in border.needs if need.kind == "sender_number" for kind in need.about.split(" or ")}
    numbers = {kind: number for kind, number in leaving.book.numbers.items() if kind in wanted}
    return told_to_carrier(border, numbers, order.hand.customs or NOTHING_SAID)


@dataclass(frozen=True, slots=True)
class GoodsAsked:
    """Goods that are no order yet: where they go, worth what, for what transport; code and origin where known."""

    country: str
    postcode: str
    value_minor: int
    shipping_minor: int = 0
    hs_code: str = ""
    origin: str = ""
    sender_pays: bool = False
    carrier: str = ""


def estimate_of(session: Session, asked: GoodsAsked, now: datetime) -> Estimate | None:
    """Return what a border would ask for goods that are no order yet; None where there is no border.

    Without a code the tables' general rows count, without an origin the country that it leaves from.
    """
    leaving = leaving_now(session, shop_day(session, now))
    to = Address(country=asked.country, postcode=asked.postcode)
    if not crosses_customs(to, leaving.origin):
        return None
    origin = asked.origin or leaving.origin.country
    goods = Sold("1", "", "the goods", 1, 0, asked.value_minor, text="", hs_code=asked.hs_code, origin=origin)
    declared = declare([goods], leaving.currency, asked.shipping_minor, 0, sender_pays=asked.sender_pays)
    journey = Journey(customs_land(leaving.origin), customs_land(to), leaving.day, asked.carrier)
    return estimate(declared, journey, leaving.book.tables, list(leaving.book.numbers))
