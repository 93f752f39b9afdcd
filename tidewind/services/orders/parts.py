"""Parts of orders: what was sent already, items that go apart, orders to one person that go together; all undoable."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.order_facts import Hand
from tidewind.core.states.orders import OrderMove
from tidewind.core.stored import NO_HAND, NO_PLAN, read_hand, write_hand
from tidewind.db.tables import Order, OrderChange, OrderLine
from tidewind.services.base import Conflict, Invalid, lock_orders, move_order, write_history
from tidewind.services.orders.belonging import remove_part
from tidewind.services.orders.one_order import all_editable, editable
from tidewind.services.orders.taking_in import search_text
from tidewind.services.planning import Scope, plan_orders, replan_some


def _line_of(order: Order, line_id: int) -> OrderLine:
    line = next((ln for ln in order.lines if ln.id == line_id), None)
    if line is None:
        raise Invalid("unknown_line", "One of these items is not in this order.")
    return line


def set_sent(session: Session, order_id: int, sent: Mapping[int, int], who: str, now: datetime) -> Order:
    """Say how many of each item were sent already; the plan is for the rest.  Raises Invalid for more than ordered."""
    order = editable(session, order_id)
    before = {str(line.id): line.sent for line in order.lines}
    for line_id, count in sent.items():
        line = _line_of(order, line_id)
        if not 0 <= count <= line.quantity:
            raise Invalid("too_many", f"Of “{line.name}” {line.quantity} were ordered, {count} cannot have been sent.")
        line.sent = count
    order.hand = replace(order.hand, parcels=())
    write_history(session, order, who, "said what was sent already", now, {"sent": before})
    session.flush()
    plan_orders(session, [order, *_host_of(session, order)], now)
    return order


def _host_of(session: Session, order: Order) -> list[Order]:
    """Return the order that this one goes along with, its parcels to be packed anew; none where it goes alone."""
    hosts = lock_orders(session, [order.joined_to] if order.joined_to else [])
    for host in hosts:
        host.hand = replace(host.hand, parcels=())
    return hosts


def send_apart(session: Session, order_id: int, items: Mapping[int, int], who: str, now: datetime) -> Order:
    """Take items out of an order into a part of its own, with its own plan and label; return the part.

    The part is numbered after its whole (``LL-20380/2``); the channel knows the whole only.
    """
    order = editable(session, order_id)
    if order.part_of:
        raise Conflict("is_a_part", "This is a part already. Take the items out of the whole order.")
    if order.joined_to:
        raise Conflict("joined", f"Order {order.number} goes with another. Undo that there, then divide it.")
    if order.state_by == "channel":
        raise Conflict("kept_back", f"Its channel keeps this order back: {order.state_why}. No part of it may go.")
    before = {str(line.id): line.sent for line in order.lines}
    moved = [(_line_of(order, line_id), count) for line_id, count in items.items() if count > 0]
    left = sum(line.quantity - line.sent for line in order.lines) - sum(count for _, count in moved)
    if not moved or left <= 0 or any(count > line.quantity - line.sent for line, count in moved):
        raise Invalid("bad_part", "A part takes some of what is left of an order, not all of it and not more.")
    count = len(session.scalars(select(Order.id).where(Order.part_of == order.id)).all())
    part = _part(order, f"{order.number}/{count + 2}"[:60], moved)
    session.add(part)
    for line, number in moved:
        line.sent += number
    order.hand = replace(order.hand, parcels=())
    session.flush()
    write_history(session, order, who, f"sent items apart as {part.number}", now, {"sent": before, "part": part.id})
    plan_orders(session, [order, part], now)
    return part


def _part(order: Order, number: str, moved: Sequence[tuple[OrderLine, int]]) -> Order:
    copied = (
        *("channel_id", "channel", "ordered_at", "address", "home", "sender", "promise", "promise_date", "offer"),
        *("currency", "note", "payment", "billing_name", "reference", "recipient_key", "tags", "cleared", "imported"),
    )
    part = Order(number=number, part_of=order.id, state="open", hand=_said_of_all(order.hand), plan=NO_PLAN)
    for name in copied:
        setattr(part, name, getattr(order, name))
    part.lines = [
        OrderLine(
            position=n,
            sku=line.sku,
            name=line.name,
            quantity=count,
            unit_price_minor=line.unit_price_minor,
            weight_g=line.weight_g,
            sent=0,
        )
        for n, (line, count) in enumerate(moved, 1)
    ]
    part.snags = []
    part.search = search_text(number, part.address, [f"{ln.name} {ln.sku}" for ln in part.lines], part.reference)
    return part


def _said_of_all(hand: Hand) -> Hand:
    """Return what was said of the recipient and of why the goods go, which holds for a part, too."""
    if hand.customs is None:
        return NO_HAND
    return replace(NO_HAND, customs=replace(hand.customs, items={}, papers={}))


def same_person(session: Session, order: Order) -> Sequence[Order]:
    """Return the other open orders that go to the same person at the same address."""
    if not order.recipient_key or order.state != "open":
        return []
    query = select(Order).where(Order.recipient_key == order.recipient_key, Order.state == "open", Order.id != order.id)
    return session.scalars(query.order_by(Order.id)).all()


def join_orders(session: Session, order_ids: Sequence[int], who: str, now: datetime) -> Order:
    """Let orders to one person go together with the first of them; return that one.

    Raises Invalid where they do not all go from one sender to one person, Conflict where one cannot be changed.
    """
    orders = all_editable(session, order_ids)
    host, *others = orders
    if len({order.sender for order in orders}) > 1:
        raise Invalid("two_senders", "Orders that are sent by different senders cannot go together.")
    if len({order.currency for order in orders}) > 1:
        raise Invalid("two_currencies", "Orders in different currencies cannot go together.")
    if not others or len({order.recipient_key for order in orders}) != 1 or any(o.state != "open" for o in orders):
        raise Invalid("not_one_person", "Only open orders to one person at one address can go together.")
    for other in others:
        if session.scalar(select(Order.id).where(Order.joined_to == other.id)):
            raise Conflict("is_a_host", f"Other orders go with {other.number} already. Undo that first.")
        move_order(other, OrderMove.JOIN, f"goes with order {host.number}")
        other.joined_to = host.id
        other.snags, other.snag_level = [], ""
    host.hand = replace(host.hand, parcels=())
    session.flush()
    names = ", ".join(order.number for order in others)
    write_history(session, host, who, f"joined {names}", now, {"joined": [order.id for order in others]})
    plan_orders(session, [host], now)
    return host


def undo_change(session: Session, order_id: int, who: str, now: datetime, *, of_others: bool = False) -> Order:
    """Undo the last change of an order that can be undone.

    Raises Conflict where there is none, where it is too late, and where it is somebody else's, naming whose, unless
    ``of_others`` says that this is meant.
    """
    order = editable(session, order_id)
    plan_orders(session, _undo(session, order, who, now, of_others=of_others), now)
    return order


def undo_changes(
    session: Session, order_ids: Sequence[int], who: str, now: datetime
) -> tuple[list[int], dict[str, str]]:
    """Undo the last change of each of many orders, where it is this person's own, and plan them anew together.

    Returns the orders of which it was undone, and why not by the number of each other one.
    """
    done: list[int] = []
    left: dict[str, str] = {}
    again: set[int] = set()
    for order in all_editable(session, order_ids):
        try:
            again |= {one.id for one in _undo(session, order, who, now, of_others=False)}
            done.append(order.id)
        except Conflict as refusal:
            left[order.number] = str(refusal)
    replan_some(session, f"{who} undid changes", now, Scope(orders=tuple(sorted(again))))
    return done, left


def _undo(session: Session, order: Order, who: str, now: datetime, *, of_others: bool) -> list[Order]:
    """Undo the last change that can be undone; return the orders that must be planned anew.  Raises Conflict."""
    query = select(OrderChange).where(OrderChange.order_id == order.id, OrderChange.undo != {})
    change = session.scalar(query.order_by(OrderChange.id.desc()).limit(1))
    if change is None:
        raise Conflict("nothing_to_undo", "There is nothing to undo on this order.")
    if change.who != who and not of_others:
        raise Conflict("not_yours", f"The last change is by {change.who}: “{change.what}”. Nothing was undone.")
    again = [order]
    if "hand" in change.undo:
        # Only what this change set goes back: what was approved or released since then stays.
        kept = {k: v for k, v in write_hand(order.hand).items() if k not in change.undo.get("fields", ())}
        before = change.undo["hand"]
        fields = change.undo.get("fields", before.keys())
        order.hand = read_hand({**kept, **{k: v for k, v in before.items() if k in fields}})
    part = session.get(Order, change.undo["part"], with_for_update=True) if "part" in change.undo else None
    if part is not None:
        editable(session, part.id)
        again += lock_orders(session, remove_part(session, part, order))
    again += _host_of(session, order) if "sent" in change.undo else []
    if "sender" in change.undo:
        order.sender = Address(**change.undo["sender"])
    for line in order.lines:
        line.sent = int(change.undo.get("sent", {}).get(str(line.id), line.sent))
    for other_id in change.undo.get("joined", []):
        other = session.get(Order, other_id, with_for_update=True)
        if other and other.joined_to == order.id:
            move_order(other, OrderMove.PART)
            other.joined_to = None
            again.append(other)
    change.undo = {}
    write_history(session, order, who, f"undid: {change.what}", now)
    session.flush()
    return again


def orders_along(session: Session, order_id: int) -> Sequence[Order]:
    """Return the orders that go along with one."""
    return session.scalars(select(Order).where(Order.joined_to == order_id).order_by(Order.id)).all()
