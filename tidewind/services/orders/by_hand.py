"""Shipments without an order from anywhere: typed by hand, or tried without being stored."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address, tidy, tidy_address
from tidewind.core.order_facts import Hand, LineFacts, OrderFacts
from tidewind.core.plan import Plan
from tidewind.core.planning import plan
from tidewind.core.rules.rule import Rule
from tidewind.core.stored import NO_HAND
from tidewind.db.tables import Channel, Order, Product
from tidewind.services.base import Conflict, Invalid
from tidewind.services.orders.taking_in import NewLine, NewOrder, store_orders
from tidewind.services.planning import core_shop, line_facts

HAND_CHANNEL = "hand"


@dataclass(frozen=True, slots=True)
class TypedLine:
    """One item typed by hand; weight (g) and sides (mm) where the catalogue does not know them.

    ``own_box``: it is packed already and goes as it is.
    """

    sku: str
    name: str
    quantity: int
    unit_price_minor: int = 0
    weight_g: int | None = None
    sides_mm: tuple[int, int, int] | None = None
    own_box: bool = False
    contents: Sequence[str] = ()


@dataclass(frozen=True, slots=True)
class TypedOrder:
    """A shipment typed by hand; without a number it gets the next one."""

    address: Address
    lines: Sequence[TypedLine]
    number: str = ""
    reference: str = ""
    home: bool = True
    promise: str = ""
    promise_date: date | None = None
    paid_shipping_minor: int = 0
    payment: str = "paid"
    note: str = ""
    tags: Sequence[str] = ()
    channel: str = HAND_CHANNEL
    ordered_at: datetime | None = None
    hand: Hand = NO_HAND


def _hand_channel(session: Session) -> Channel:
    row = session.scalar(select(Channel).where(Channel.code == HAND_CHANNEL).with_for_update())
    if row is None:
        row = Channel(code=HAND_CHANNEL, name="By hand", kind="hand", last_pull={}, cursor="1000")
        session.add(row)
        session.flush()
    return row


def _next_number(session: Session, channel: Channel) -> str:
    while True:
        channel.cursor = str(int(channel.cursor or "1000") + 1)
        number = f"S-{channel.cursor}"
        if session.scalar(select(Order.id).where(Order.number == number)) is None:
            return number


def create_order(session: Session, typed: TypedOrder, now: datetime, key: str = "") -> Order:
    """Store and plan a shipment typed by hand; what is missing shows as snags, so it can be left half-way.

    With a ``key`` the same request that comes again, from a store that pushes its orders, gives the order it made.
    Raises Conflict for a number that is taken, Invalid without an item.
    """
    if not typed.lines:
        raise Invalid("no_items", "Say at least one item; a name and a weight are enough.")
    channel = _hand_channel(session)  # locked: the same key that comes twice at once waits here
    mark = f"key:{hashlib.sha256(key.encode()).hexdigest()[:50]}" if key else ""
    if mark:
        before = select(Order).where(Order.channel_id == channel.id, Order.fingerprint == mark)
        if (known := session.scalar(before)) is not None:
            return known
    number = tidy(typed.number)[:60] or _next_number(session, channel)
    if session.scalar(select(Order.id).where(Order.number == number)):
        raise Conflict("number_taken", f"There is already an order {number}. Type another number, or leave it empty.")
    _learn_sides(session, typed.lines)
    new = NewOrder(
        number=number,
        address=tidy_address(typed.address),
        ordered_at=typed.ordered_at or now,
        home=typed.home,
        lines=tuple(_new_line(line) for line in typed.lines),
        promise=tidy(typed.promise)[:120],
        promise_date=typed.promise_date,
        payment=typed.payment,
        paid_shipping_minor=typed.paid_shipping_minor,
        note=tidy(typed.note)[:500],
        reference=tidy(typed.reference)[:60],
        tags=tuple(sorted({tidy(tag)[:40] for tag in typed.tags if tidy(tag)})),
        hand=typed.hand,
        fingerprint=mark,
    )
    made, _ = store_orders(session, channel, [new], now)
    return session.get_one(Order, made[0].id)


def _new_line(line: TypedLine) -> NewLine:
    sku = tidy(line.sku)[:60] or tidy(line.name)[:60]
    return NewLine(sku, tidy(line.name)[:200] or sku, line.quantity, line.unit_price_minor, line.weight_g)


def _learn_sides(session: Session, lines: Sequence[TypedLine]) -> None:
    for line in lines:
        sku = tidy(line.sku)[:60] or tidy(line.name)[:60]
        if not sku:
            raise Invalid("no_items", "Every item needs a name or a SKU.")
        known = session.scalar(select(Product).where(Product.sku == sku))
        if known is None and line.sides_mm:
            length, width, height = line.sides_mm
            session.add(
                Product(
                    sku=sku,
                    name=tidy(line.name)[:200] or sku,
                    weight_g=line.weight_g,
                    length_mm=length,
                    width_mm=width,
                    height_mm=height,
                    contents=list(line.contents),
                    own_box=line.own_box,
                    learned_from="typed by hand",
                )
            )
    session.flush()


def try_plan(session: Session, typed: TypedOrder, rules: tuple[Rule, ...] | None, now: datetime) -> Plan:
    """Return the plan that an order would get, with other rules where given; nothing is stored."""
    skus = {tidy(line.sku) for line in typed.lines}
    products = {p.sku: p for p in session.scalars(select(Product).where(Product.sku.in_(skus)))}
    lines = tuple(_facts(n, line, products.get(tidy(line.sku))) for n, line in enumerate(typed.lines, 1))
    facts = OrderFacts(
        lines=lines,
        address=tidy_address(typed.address),
        home=typed.home,
        promise=typed.promise_date,
        channel=typed.channel,
        promise_text=tidy(typed.promise),
        payment=typed.payment,
        note=tidy(typed.note),
        tags=frozenset(typed.tags),
        ordered_at=typed.ordered_at or now,
        paid_shipping=typed.paid_shipping_minor,
        hand=typed.hand,
        point=typed.hand.point,
    )
    shop = core_shop(session, now)
    return plan(facts, shop if rules is None else replace(shop, rules=rules))


def _facts(number: int, line: TypedLine, product: Product | None) -> LineFacts:
    sku, name = tidy(line.sku), tidy(line.name)
    facts = line_facts(str(number), sku, name, line.quantity, line.weight_g, line.unit_price_minor, product)
    told = frozenset(line.contents)
    return replace(
        facts, sides=line.sides_mm or facts.sides, own_box=facts.own_box or line.own_box, contents=facts.contents | told
    )
