"""What is stored of orders, as planning sees it."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.channel_changes import ChannelChange
from tidewind.core.order_facts import LineFacts, OrderFacts
from tidewind.core.stored import NO_ADDRESS, NO_HAND
from tidewind.db.among import among
from tidewind.db.tables import Batch, Order, OrderLine, Product
from tidewind.services.planning.records import LineRecord, OrderRecord
from tidewind.services.planning.upstream import changes_upstream


def _line(line: OrderLine | LineRecord, known: LineFacts | None, currency: str = "") -> LineFacts:
    """Return a line with what the catalogue knows of its product, as ``line_facts`` does, but read from there once.

    The catalogue's prices are in the shop's currency: they say nothing of an order in another one.
    """
    if known is None:
        return LineFacts(
            str(line.id),
            line.sku,
            line.name or line.sku,
            line.quantity - line.sent,
            line.weight_g,
            None,
            line.unit_price_minor,
        )
    return LineFacts(
        str(line.id),
        line.sku,
        known.name,
        line.quantity - line.sent,
        line.weight_g or known.weight_g,
        known.sides,
        line.unit_price_minor or (0 if currency else known.value),
        known.upright,
        known.own_box,
        known.no_weekend,
        known.not_stackable,
        known.contents,
        known.tags,
        known.customs_text,
        known.hs_code,
        known.origin,
        known.recipe,
    )


def line_facts(
    line_id: str, sku: str, name: str, quantity: int, weight_g: int | None, value: int, product: Product | None
) -> LineFacts:
    """Return a line with what the catalogue knows; what the line itself says of weight and value stays."""
    if product is None:
        return LineFacts(line_id, sku, name or sku, quantity, weight_g, None, value)
    return LineFacts(
        id=line_id,
        sku=sku,
        name=product.name,
        quantity=quantity,
        weight_g=weight_g or product.weight_g,
        sides=product.sides,
        value=value or product.value_minor,
        upright=product.upright,
        own_box=product.own_box,
        no_weekend=product.no_weekend,
        not_stackable=product.not_stackable,
        contents=frozenset(product.contents),
        tags=frozenset(product.tags),
        customs_text=product.customs_text,
        hs_code=product.hs_code,
        origin=product.origin,
        recipe=product.recipe,
    )


def _catalogue(session: Session, skus: Collection[str]) -> dict[str, LineFacts]:
    """Return what the catalogue knows of products, as lines of none of each."""
    found = session.scalars(select(Product).where(among(Product.sku, skus)))
    return {p.sku: line_facts("", p.sku, p.name, 0, None, 0, p) for p in found}


def joined_lines(session: Session, orders: Iterable[Order | OrderRecord]) -> dict[int, list[OrderLine]]:
    """Return the lines of orders that go along with one of these, by the id of the one they go with."""
    rows = session.execute(
        select(Order.joined_to, OrderLine)
        .join(OrderLine, OrderLine.order_id == Order.id)
        .where(among(Order.joined_to, [order.id for order in orders]), Order.state != "cancelled")
        .order_by(Order.id, OrderLine.position)
    )
    found: dict[int, list[OrderLine]] = {}
    for host, line in rows:
        found.setdefault(int(host or 0), []).append(line)
    return found


def facts_of(
    order: Order | OrderRecord,
    catalogue: Mapping[str, LineFacts],
    along: Sequence[OrderLine] = (),
    changed: ChannelChange | None = None,
    batch: Batch | None = None,
) -> OrderFacts:
    """Return an order as planning sees it, with the lines of orders that go along with it."""
    return OrderFacts(
        lines=tuple(_line(line, catalogue.get(line.sku), order.currency) for line in (*order.lines, *along)),
        address=order.address,
        home=order.home,
        promise=order.promise_date,
        hand=order.hand,
        channel=order.channel.code,
        promise_text=order.promise,
        sold_as=order.offer,
        payment=order.payment,
        note=order.note,
        tags=frozenset(order.tags),
        ordered_at=order.ordered_at,
        paid_shipping=order.paid_shipping_minor,
        billing_name=order.billing_name,
        cleared=frozenset(order.cleared),
        channel_change=changed,
        point=order.hand.point,
        batch=batch.changes if batch else NO_HAND,
        batch_name=batch.name if batch else "",
        sender=None if order.sender == NO_ADDRESS else order.sender,
        currency=order.currency,
    )


def all_facts(session: Session, orders: Sequence[Order] | Sequence[OrderRecord]) -> list[OrderFacts]:
    """Return orders as planning sees them, with everything looked up at once."""
    along = joined_lines(session, orders)
    skus = {line.sku for order in orders for line in order.lines}
    catalogue = _catalogue(session, skus | {line.sku for lines in along.values() for line in lines})
    ids = [order.id for order in orders]
    changed = changes_upstream(session, ids)
    in_batches = {order.batch_id for order in orders if order.batch_id}
    batches = {b.id: b for b in session.scalars(select(Batch).where(Batch.id.in_(in_batches)))} if in_batches else {}
    return [
        facts_of(o, catalogue, along.get(o.id, ()), changed.get(o.id), batches.get(o.batch_id or 0)) for o in orders
    ]
