"""The work list and one order: read, search, edit by hand, fix snags, hold."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import Select, func, or_, select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address, tidy_address
from tidewind.db.tables import Label, Order, OrderLine, PackagingRow, Product, Shipment, SnagRow
from tidewind.services.errors import Conflict, Invalid, NotFound
from tidewind.services.planning import joined_lines, plan_orders, replan_where_sku
from tidewind.services.shop_facts import shop_settings
from tidewind.services.storing import recipient_key, search_text

VIEWS = ("open", "clear", "snags", "held", "shipped", "all")
MOST = 500


@dataclass(frozen=True, slots=True)
class Page:
    """One page of the work list: the orders, how many there are in each view, and whether more follow."""

    orders: Sequence[Order]
    counts: dict[str, int]
    more: bool


def _in_view(query: Select[Any], view: str) -> Select[Any]:
    stopped = Order.snags.any(SnagRow.level == "stops")
    match view:
        case "open":
            return query.where(Order.state == "open")
        case "clear":
            return query.where(Order.state == "open", ~stopped)
        case "snags":
            return query.where(Order.state == "open", Order.snags.any())
        case "held":
            return query.where(Order.state.in_(("held", "left_out")))
        case "shipped":
            return query.where(Order.state.in_(("shipped", "part_shipped")))
        case "all":
            return query
    raise Invalid("unknown_view", f"There is no view {view}; there are {', '.join(VIEWS)}.")


def _matching(query: Select[Any], text: str) -> Select[Any]:
    like = f"%{text.replace('%', '').replace('_', ' ')}%"
    by_label = select(Shipment.order_id).join(Label).where(Label.tracking_number.ilike(like))
    return query.where(
        or_(
            Order.number.ilike(like),
            Order.address["name"].astext.ilike(like),
            Order.address["city"].astext.ilike(like),
            Order.address["postcode"].astext.ilike(like),
            Order.address["email"].astext.ilike(like),
            Order.lines.any(OrderLine.name.ilike(like)),
            Order.id.in_(by_label),
        )
    )


def list_orders(session: Session, view: str, text: str = "", after: int = 0, limit: int = 200) -> Page:
    """Return orders of a view that match a text, in the order of their ids, after the id ``after``."""
    limit = min(max(limit, 1), MOST)
    query = _in_view(select(Order), view)
    if text.strip():
        query = _matching(query, text.strip()[:120])
    newest_first = view in {"shipped", "all"}
    if after:
        query = query.where(Order.id < after if newest_first else Order.id > after)
    found = session.scalars(query.order_by(Order.id.desc() if newest_first else Order.id).limit(limit + 1)).all()
    counts = {v: session.scalar(_in_view(select(func.count(Order.id)), v)) or 0 for v in VIEWS}
    return Page(found[:limit], counts, len(found) > limit)


def get_order(session: Session, order_id: int, *, lock: bool = False) -> Order:
    """Return an order, locked for this transaction where asked.  Raises NotFound."""
    query = select(Order).where(Order.id == order_id)
    if lock:
        query = query.with_for_update(of=Order).execution_options(populate_existing=True)
    order = session.scalar(query)
    if order is None:
        raise NotFound("unknown_order", "This order does not exist.")
    return order


def shipments_of(session: Session, order_id: int) -> Sequence[Shipment]:
    """Return what was bought or tried for an order, newest first."""
    return session.scalars(select(Shipment).where(Shipment.order_id == order_id).order_by(Shipment.id.desc())).all()


def _editable(session: Session, order_id: int) -> Order:
    order = get_order(session, order_id, lock=True)
    kept_back = order.state == "held" or (order.state == "left_out" and order.state_by == "rule")
    if order.state != "open" and not kept_back:
        raise Conflict("not_open", f"Order {order.number} is {order.state.replace('_', ' ')} and cannot be changed.")
    live = session.scalar(
        select(Shipment.id).where(Shipment.order_id == order_id, Shipment.state.in_(("buying", "bought")))
    )
    if live:
        raise Conflict("being_bought", f"A label for order {order.number} is bought or being bought just now.")
    return order


def edit_hand(session: Session, order_id: int, changes: dict[str, Any], now: datetime) -> Order:
    """Set or take back (None) what is decided by hand: packaging, service, extras, ship_date; then plan anew."""
    order = _editable(session, order_id)
    if changes.get("packaging"):
        known = session.scalar(select(PackagingRow.id).where(PackagingRow.code == changes["packaging"]))
        if known is None:
            raise Invalid("unknown_packaging", f"There is no packaging {changes['packaging']}.")
    if changes.get("parcels"):
        _check_parcels(session, order, changes["parcels"])
    if isinstance(changes.get("ship_date"), date):
        changes["ship_date"] = changes["ship_date"].isoformat()
    order.hand = {name: value for name, value in {**order.hand, **changes}.items() if value not in (None, [], "")}
    plan_orders(session, [order], now)
    return order


def _check_parcels(session: Session, order: Order, parcels: Sequence[dict[str, Any]]) -> None:
    """Raise Invalid unless parcels put together by hand hold exactly what is still to be sent."""
    along = joined_lines(session, [order]).get(order.id, [])
    left = {line.id: line.quantity - line.sent for line in (*order.lines, *along)}
    for parcel in parcels:
        for line_id, count in parcel["contents"]:
            if line_id not in left:
                raise Invalid("unknown_line", "One of these items is not in this order.")
            left[line_id] -= count
    if any(left.values()):
        raise Invalid("not_all_packed", "The parcels together must hold every item once. Nothing was changed.")


def edit_address(session: Session, order_id: int, address: Address, home: bool, now: datetime) -> Order:
    """Correct where an order goes; what was imported stays on record beside it."""
    order = _editable(session, order_id)
    tidied = tidy_address(address)
    order.address, order.home, order.recipient_key = asdict(tidied), home, recipient_key(tidied)
    items = [f"{line.name} {line.sku}" for line in order.lines]
    order.search = search_text(order.number, tidied, items, order.reference)
    plan_orders(session, [order], now)
    return order


def set_held(session: Session, order_ids: Sequence[int], held: bool, who: str, now: datetime) -> list[Order]:
    """Hold orders, or take them back onto the work list."""
    orders = [_editable(session, order_id) for order_id in sorted(set(order_ids))]
    for order in orders:
        by_rule = order.state_by == "rule"
        kept_back = ("held", "person", f"held by {who}")
        order.state, order.state_by, order.state_why = kept_back if held else ("open", "", "")
        if by_rule and not held:  # else the same rule would hold it again at once
            order.hand = {**order.hand, "released": True}
    plan_orders(session, orders, now)
    return orders


def set_product_facts(
    session: Session, sku: str, weight_g: int | None, sides_mm: tuple[int, int, int] | None, now: datetime
) -> int:
    """Say a product's weight or size once, for all its orders; return how many were planned anew."""
    product = session.scalar(select(Product).where(Product.sku == sku).with_for_update())
    if product is None:
        name = session.scalar(select(OrderLine.name).where(OrderLine.sku == sku).limit(1))
        if name is None:
            raise NotFound("unknown_sku", f"No product and no order has the SKU {sku}.")
        product = Product(sku=sku, name=name or sku, contents=[])
        session.add(product)
    if weight_g is not None:
        product.weight_g = weight_g
    if sides_mm is not None:
        product.length_mm, product.width_mm, product.height_mm = sides_mm
    session.flush()
    return replan_where_sku(session, sku, now)


def find(session: Session, text: str, limit: int = 12) -> Sequence[Order]:
    """Return the orders that best match what was typed into the command line, newest first."""
    if not text.strip():
        return []
    return session.scalars(_matching(select(Order), text.strip()[:120]).order_by(Order.id.desc()).limit(limit)).all()


def currency(session: Session) -> str:
    """Return the shop's currency code."""
    return shop_settings(session).currency
