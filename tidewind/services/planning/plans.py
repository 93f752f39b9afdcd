"""Plan orders: load what is needed once, ask the core, store plan and snags."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence, Set
from datetime import datetime
from typing import Any

from sqlalchemy import func, inspect, select, tuple_
from sqlalchemy.orm import Session
from sqlalchemy.orm.attributes import set_committed_value

from tidewind.core.destinations import destination_group
from tidewind.core.insuring import premium_in
from tidewind.core.options import Option
from tidewind.core.order_facts import Hand, LineFacts, OrderFacts, Shop
from tidewind.core.packing import PackedParcel
from tidewind.core.plan import Plan
from tidewind.core.planning import plan_many
from tidewind.core.rules.facts import written_facts
from tidewind.core.states.orders import OrderMove, OrderStanding
from tidewind.core.stored import NO_ADDRESS, StoredLine, StoredParcel, StoredPlan, StoredQuote
from tidewind.core.tariffs.quote import Quote, explain
from tidewind.db.bulk import write_changed
from tidewind.db.tables import Batch, Difference, Order, OrderLine, Product, SnagRow
from tidewind.services.base import lock_orders, standing_after
from tidewind.services.planning.shop_facts import core_shop


def _line(line: OrderLine, product: Product | None) -> LineFacts:
    return line_facts(
        str(line.id), line.sku, line.name, line.quantity - line.sent, line.weight_g, line.unit_price_minor, product
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
        contents=frozenset(product.contents),
        tags=frozenset(product.tags),
        customs_text=product.customs_text,
        hs_code=product.hs_code,
        origin=product.origin,
        recipe=product.recipe,
    )


def products_of(session: Session, orders: Iterable[Order]) -> dict[str, Product]:
    """Return the products named by the orders' lines, by SKU."""
    skus = {line.sku for order in orders for line in order.lines}
    return {p.sku: p for p in session.scalars(select(Product).where(Product.sku.in_(skus)))}


def joined_lines(session: Session, orders: Iterable[Order]) -> dict[int, list[OrderLine]]:
    """Return the lines of orders that go along with one of these, by the id of the one they go with."""
    rows = session.execute(
        select(Order.joined_to, OrderLine)
        .join(OrderLine, OrderLine.order_id == Order.id)
        .where(Order.joined_to.in_([order.id for order in orders]), Order.state != "cancelled")
        .order_by(Order.id, OrderLine.position)
    )
    found: dict[int, list[OrderLine]] = {}
    for host, line in rows:
        found.setdefault(int(host or 0), []).append(line)
    return found


def facts_of(
    order: Order,
    products: Mapping[str, Product],
    along: Sequence[OrderLine] = (),
    changed: str = "",
    batch: Batch | None = None,
) -> OrderFacts:
    """Return an order as planning sees it, with the lines of orders that go along with it."""
    return OrderFacts(
        lines=tuple(_line(line, products.get(line.sku)) for line in (*order.lines, *along)),
        address=order.address,
        home=order.home,
        promise=order.promise_date,
        hand=order.hand,
        channel=order.channel.code,
        promise_text=order.promise,
        payment=order.payment,
        note=order.note,
        tags=frozenset(order.tags),
        ordered_at=order.ordered_at,
        paid_shipping=order.paid_shipping_minor,
        billing_name=order.billing_name,
        cleared=frozenset(order.cleared),
        changed_upstream=changed,
        point=order.hand.point,
        batch=batch.changes if batch else Hand(),
        batch_name=batch.name if batch else "",
        sender=None if order.sender == NO_ADDRESS else order.sender,
    )


def all_facts(session: Session, orders: Sequence[Order]) -> list[OrderFacts]:
    """Return orders as planning sees them, with everything looked up at once."""
    along = joined_lines(session, orders)
    skus = {line.sku for lines in along.values() for line in lines}
    products = products_of(session, orders)
    products |= {p.sku: p for p in session.scalars(select(Product).where(Product.sku.in_(skus)))} if skus else {}
    ids = [order.id for order in orders]
    waiting = select(Difference).where(Difference.state == "waiting", Difference.order_id.in_(ids))
    changed = {difference.order_id: difference.kind for difference in session.scalars(waiting)}
    in_batches = {order.batch_id for order in orders if order.batch_id}
    batches = {b.id: b for b in session.scalars(select(Batch).where(Batch.id.in_(in_batches)))} if in_batches else {}
    return [
        facts_of(o, products, along.get(o.id, ()), changed.get(o.id, ""), batches.get(o.batch_id or 0)) for o in orders
    ]


def is_waiting(order: Order) -> bool:
    """Tell whether an order is planned: open, or kept back by a rule that may change its mind."""
    return (order.state, order.state_by) in OrderStanding.WAITS


def plan_orders(session: Session, orders: Sequence[Order], now: datetime, shop: Shop | None = None) -> int:
    """Plan the waiting orders among ``orders`` anew and store plan and snags; return how many plans are different.

    What is bought is left alone.  ``shop`` saves loading it again for many calls of one piece of work.
    """
    waiting = [order for order in orders if is_waiting(order)]
    if not waiting:
        return 0
    shop = shop or core_shop(session, now)
    changed, written = 0, []
    columns: set[str] = set()
    all_of_them = all_facts(session, waiting)
    for order, facts, made in zip(waiting, all_of_them, plan_many(all_of_them, shop), strict=True):
        before = noticed(order)
        different = _store(order, facts, made, shop, now)
        if different and inspect(order).persistent:
            written.append(order)
            columns |= different
        changed += noticed(order) != before
    write_changed(session, written, [name for name in PLANNED if name in columns])
    return changed


def noticed(order: Order) -> tuple[Any, ...]:
    """Return what people would notice of a plan, to tell whether it changed."""
    made = order.plan
    parcels = [(p.packaging, p.gross_g) for p in made.parcels]
    chosen = (order.service, order.price_minor, order.ship_date, made.extras, made.value_minor)
    return (order.state, chosen, parcels, order.desk, list(order.plan_tags), order.snag_level)


def keep_up(session: Session, orders: Sequence[Order], now: datetime) -> int:
    """Plan those orders anew whose plan is out of date by now, since a truck has left; return how many; locks them."""
    due = [order.id for order in orders if order.good_until and order.good_until < now and is_waiting(order)]
    if due:
        plan_orders(session, lock_orders(session, due), now)
    return len(due)


def waiting_clause() -> Any:
    """Return the condition for orders that ``is_waiting``."""
    return tuple_(Order.state, Order.state_by).in_(sorted(OrderStanding.WAITS))


PLANNED = (
    "plan", "carrier", "service", "network", "price_minor", "ship_date", "arrives", "parcel_count", "desk", "plan_tags",
    "basket", "destination", "promise_linked", "snag_level", "rule_facts", "good_until", "state", "state_by",
    "state_why", "plan_version", "planned_at",
)  # fmt: skip
"""The columns of an order that planning writes."""


def _store(order: Order, facts: OrderFacts, made: Plan, shop: Shop, now: datetime) -> Set[str]:
    """Set a plan on its order; return the columns that are different and must be written."""
    values = _values(order, facts, made, shop)
    snags = [(s.code, s.level, s.words[:500], s.fix, s.about[:120]) for s in made.snags]
    others = snags != [(s.code, s.level, s.words, s.fix, s.about) for s in order.snags]
    if others:
        order.snags = [SnagRow(code=c, level=lv, words=w, fix=f, about=a) for c, lv, w, f, a in snags]
    if others or order.plan != values["plan"] or order.planned_at is None:
        values["plan_version"], values["planned_at"] = order.plan_version + 1, now
    different = {name: value for name, value in values.items() if getattr(order, name) != value}
    # What is in the database already is written by ``plan_orders``: the mapper need not look for changes there.
    put = set_committed_value if inspect(order).persistent else setattr
    for name, value in different.items():
        put(order, name, value)
    return different.keys()


def _values(order: Order, facts: OrderFacts, made: Plan, shop: Shop) -> dict[str, Any]:
    """Return what a plan says in the columns of ``PLANNED``."""
    chosen = None if made.stopped else made.chosen
    arrival = chosen.arrival if chosen else None
    return {
        "plan": stored_plan(made, chosen),
        "carrier": chosen.carrier if chosen else None,
        "service": chosen.service if chosen else None,
        "network": chosen.network if chosen else None,
        "price_minor": chosen.quote.net if chosen and chosen.quote else None,
        "ship_date": arrival.ship_date if arrival else None,
        "arrives": arrival.latest if arrival else None,
        "parcel_count": len(made.parcels),
        "desk": made.desk[:60],
        "plan_tags": sorted(made.tags),
        "basket": facts.basket,
        "destination": destination_group(facts.address, shop.origin),
        "promise_linked": not facts.promise_text or facts.promise_text in shop.promise_links,
        "snag_level": min((s.level for s in made.snags), default=""),
        "rule_facts": written_facts(made.facts),
        "good_until": made.good_until,
        **_kept_back(order, made),
    }


def stored_plan(made: Plan, chosen: Option | None) -> StoredPlan:
    """Return a plan as it is kept."""
    return StoredPlan(
        parcels=tuple(map(stored_parcel, made.parcels)),
        service_name=chosen.name if chosen else None,
        quote=stored_quote(chosen) if chosen and chosen.quote else None,
        extras=tuple(sorted(made.extras)),
        value_minor=made.value,
        rules=tuple(made.rules),
        trail={name: tuple(steps) for name, steps in made.trail.items()},
    )


def _kept_back(order: Order, made: Plan) -> dict[str, str]:
    """Return the order's state where a rule keeps it back, or lets it go again."""
    if made.leave_out:
        return standing_after(order, OrderMove.RULE_LEAVES_OUT, made.leave_out)
    if made.hold:
        return standing_after(order, OrderMove.RULE_HOLDS, made.hold)
    return standing_after(order, OrderMove.RULE_LETS_GO) if order.state_by == "rule" else {}


def stored_parcel(parcel: PackedParcel) -> StoredParcel:
    """Return a packed parcel as it is kept and shown."""
    packaging, outer = parcel.packaging, parcel.outer
    return StoredParcel(
        packaging=packaging.code if packaging else None,
        carrier_box=bool(packaging and packaging.carrier),
        name=packaging.name if packaging else "Own carton",
        contents=tuple((int(line), count) for line, count in parcel.contents),
        goods_g=parcel.goods_g,
        packaging_g=parcel.packaging_g,
        padding_g=parcel.padding_g,
        gross_g=parcel.gross_g,
        sides_mm=(outer.longest, outer.middle, outer.shortest),
        fill_percent=parcel.fill_percent,
    )


def stored_quote(option: Option) -> StoredQuote:
    """Return an option's quote with every line explained, as it is kept and shown.  Raises ValueError without one."""
    quote = option.quote
    if not isinstance(quote, Quote):
        raise ValueError(f"{option.service} has no quote")
    return StoredQuote(
        zone=quote.zone,
        billable_g=quote.billable_g,
        net_minor=quote.net,
        tax_minor=quote.tax,
        total_minor=quote.total,
        published_net_minor=option.published_net,
        account=quote.account,
        premium_minor=premium_in(quote),
        lines=tuple(
            StoredLine(ln.code, ln.name, ln.amount, ln.parcel, explain(ln, quote.currency)) for ln in quote.lines
        ),
    )


def count_waiting(session: Session) -> int:
    """Return how many orders are planned, whether open or kept back by a rule."""
    return session.scalar(select(func.count(Order.id)).where(waiting_clause())) or 0
