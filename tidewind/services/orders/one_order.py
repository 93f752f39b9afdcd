"""One order: read, edit by hand, fix snags, hold; and the same for many at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, replace
from datetime import date, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address, tidy, tidy_address
from tidewind.core.states.orders import OrderMove, OrderStanding
from tidewind.db.tables import CarrierAccount, Clearance, Order, PackagingRow, Shipment
from tidewind.services.base import Conflict, Invalid, NotFound, has_label, move_order, write_history
from tidewind.services.orders.taking_in import recipient_key, search_text
from tidewind.services.orders.work_list import matching
from tidewind.services.planning import joined_lines, plan_orders

_DEARER = frozenset({"service", "packaging", "extras", "parcels", "split"})


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


def editable(session: Session, order_id: int) -> Order:
    """Return an order locked for a change.  Raises Conflict where it is shipped, cancelled or being bought."""
    order = get_order(session, order_id, lock=True)
    if (order.state, order.state_by) not in OrderStanding.EDITABLE:
        raise Conflict("not_open", f"Order {order.number} is {order.state.replace('_', ' ')} and cannot be changed.")
    if has_label(session, order_id):
        raise Conflict("being_bought", f"A label for order {order.number} is bought or being bought just now.")
    return order


def edit_hand(
    session: Session, order_ids: Sequence[int], changes: dict[str, Any], who: str, now: datetime
) -> list[Order]:
    """Set or take back (None) what is decided by hand, for one order or many; then plan anew.

    Known are packaging, service, account, extras, ship_date, desk, split and parcels (these for one order only).
    """
    orders = [editable(session, order_id) for order_id in sorted(set(order_ids))]
    if changes.get("packaging"):
        known = session.scalar(select(PackagingRow.id).where(PackagingRow.code == changes["packaging"]))
        if known is None:
            raise Invalid("unknown_packaging", f"There is no packaging {changes['packaging']}.")
    if changes.get("account"):
        there = session.scalar(select(CarrierAccount.id).where(CarrierAccount.number == changes["account"]).limit(1))
        if there is None:
            raise Invalid("unknown_account", f"There is no account {changes['account']} with any carrier.")
    if changes.get("parcels"):
        if len(orders) != 1:
            raise Invalid("one_order", "Parcels are put together by hand for one order at a time.")
        _check_parcels(session, orders[0], changes["parcels"])
    if isinstance(changes.get("ship_date"), date):
        changes["ship_date"] = changes["ship_date"].isoformat()
    for order in orders:
        write_history(session, order, who, f"set {', '.join(changes).replace('_', ' ')}", now, {"hand": order.hand})
        if _DEARER & changes.keys():
            # What was approved was another plan: a dearer one must be asked for again.
            order.hand = {name: value for name, value in order.hand.items() if name != "approved"}
        merged = {**order.hand, **changes}
        order.hand = {name: value for name, value in merged.items() if _is_set(name, value)}
    plan_orders(session, orders, now)
    return orders


def _is_set(name: str, value: Any) -> bool:
    # No extras, and no desk, are decisions too; an empty packaging or service is none.
    return value is not None and (name in {"extras", "desk"} or value not in ("", []))


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


def edit_address(session: Session, order_id: int, address: Address, home: bool, who: str, now: datetime) -> Order:
    """Correct where an order goes; what was imported stays on record beside it."""
    order = editable(session, order_id)
    _set_address(order, tidy_address(address))
    order.home = home
    write_history(session, order, who, "corrected the address", now)
    plan_orders(session, [order], now)
    return order


def _set_address(order: Order, address: Address) -> None:
    order.address, order.recipient_key = asdict(address), recipient_key(address)
    order.search = search_text(order.number, address, [f"{ln.name} {ln.sku}" for ln in order.lines], order.reference)


def use_billing_name(session: Session, order_ids: Sequence[int], who: str, now: datetime) -> list[Order]:
    """Put the billing name where the recipient's name is missing.  Raises Conflict where there is none to put."""
    orders = [editable(session, order_id) for order_id in sorted(set(order_ids))]
    for order in orders:
        if not order.billing_name or order.address["name"]:
            raise Conflict("no_billing_name", f"Order {order.number} has a name, or no billing name to use.")
        _set_address(order, replace(Address(**order.address), name=order.billing_name))
        write_history(session, order, who, f"used the billing name {order.billing_name}", now)
    plan_orders(session, orders, now)
    return orders


def set_held(session: Session, order_ids: Sequence[int], held: bool, who: str, now: datetime) -> list[Order]:
    """Hold orders, or take them back onto the work list."""
    orders = [editable(session, order_id) for order_id in sorted(set(order_ids))]
    for order in orders:
        if order.state_by == "join":
            raise Conflict("joined", f"Order {order.number} goes with another. Undo that there.")
        if order.state_by == "rule" and not held:  # else the same rule would hold it again at once
            order.hand = {**order.hand, "released": True}
        move_order(order, OrderMove.HOLD if held else OrderMove.TAKE_BACK, f"held by {who}" if held else "")
        write_history(session, order, who, "held it" if held else "took it back onto the work list", now)
    plan_orders(session, orders, now)
    return orders


def annotate(
    session: Session, order_ids: Sequence[int], add_tags: Sequence[str], remove_tags: Sequence[str],
    comment: str | None, now: datetime,
) -> list[Order]:  # fmt: skip
    """Add and remove tags, or write a note for the colleagues; rules that ask for tags follow."""
    orders = [get_order(session, order_id, lock=True) for order_id in sorted(set(order_ids))]
    for order in orders:
        kept = {*order.tags, *(tidy(tag)[:40] for tag in add_tags)} - set(remove_tags) - {""}
        if len(kept) > 20:
            raise Invalid("too_many_tags", "An order carries at most twenty tags.")
        order.tags = sorted(kept)
        if comment is not None:
            order.comment = tidy(comment)[:500]
    plan_orders(session, orders, now)
    return orders


def approve_orders(session: Session, order_ids: Sequence[int], who: str, now: datetime) -> list[Order]:
    """Approve orders that a rule keeps back for it."""
    orders = [editable(session, order_id) for order_id in sorted(set(order_ids))]
    for order in orders:
        order.hand = {**order.hand, "approved": who}
        write_history(session, order, who, "approved it", now)
    plan_orders(session, orders, now)
    return orders


def clear_party(
    session: Session, order_id: int, party: str, reason: str, person_id: int, who: str, now: datetime
) -> Order:
    """Clear an order of a near match with a restricted party; the reason stays on record.

    Raises Invalid without a reason, Conflict where nothing of that kind stops the order.
    """
    order = editable(session, order_id)
    plain = tidy(reason)
    if len(plain) < 5:
        raise Invalid("no_reason", "Say in a few words why this is not the listed party.")
    snag = next((s for s in order.snags if s.fix == "clear_party" and s.about == party), None)
    if snag is None:
        raise Conflict("nothing_to_clear", "Nothing of that kind stops this order any more.")
    session.add(
        Clearance(order_id=order.id, party=party, words=snag.words, reason=plain[:500], person_id=person_id, at=now)
    )
    order.cleared = sorted({*order.cleared, party})
    write_history(session, order, who, f"cleared it: {plain}", now)
    plan_orders(session, [order], now)
    return order


def find_orders(session: Session, text: str, limit: int = 12) -> Sequence[Order]:
    """Return the orders that best match what was typed into the command line, newest first."""
    if not text.strip():
        return []
    return session.scalars(select(Order).where(matching(text)).order_by(Order.id.desc()).limit(limit)).all()
