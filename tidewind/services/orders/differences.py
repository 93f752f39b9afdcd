"""What a channel changed about an order after it was imported: shown, to be taken or refused, never merged silently."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.states.orders import OrderMove
from tidewind.core.stored import Written, read_address
from tidewind.db.tables import Difference, Order, OrderLine
from tidewind.outside.channels.upstream import UpstreamOrder
from tidewind.services.base import Conflict, NotFound, has_label, move_order, write_history
from tidewind.services.orders.taking_in import recipient_key, search_text
from tidewind.services.planning import plan_orders

_WORDS = {
    "address": "address", "lines": "items", "promise": "promise", "promise_date": "promised day", "note": "note",
    "billing_name": "billing name", "home": "home or business", "paid_shipping_minor": "delivery paid",
}  # fmt: skip


_CHANNEL_MOVES = {
    "open": OrderMove.CHANNEL_LETS_GO, "held": OrderMove.CHANNEL_HOLDS, "left_out": OrderMove.CHANNEL_LEAVES_OUT,
    "ignored": OrderMove.CHANNEL_LEAVES_OUT, "cancelled": OrderMove.CHANNEL_CANCELS,
}  # fmt: skip


def compare_with_channel(
    session: Session, order: Order, upstream: UpstreamOrder, fate: tuple[str, str], now: datetime
) -> str:
    """Compare an order with what its channel says now; return in words what is different, or nothing.

    An order that the channel itself kept back follows the channel's state.  Everything else waits for a person.
    """
    said, before = upstream.snapshot(), order.imported.get("said", {})
    changes = [
        {"field": _WORDS[name], "before": _plain(before.get(name)), "after": _plain(said[name])}
        for name in _WORDS
        if name in before and before[name] != said[name]
    ]
    state, why = fate
    cancelled = state in {"cancelled", "left_out", "ignored"} and before.get("stage") != said["stage"]
    if order.state_by == "channel" and order.state in {"held", "left_out"} and not changes:
        return _follow(session, order, said, state, why, now)
    if cancelled and order.state not in {"cancelled", "left_out"}:
        changes.insert(0, {"field": "state", "before": before.get("stage", ""), "after": said["stage"]})
        return _keep(session, order, "cancelled", changes, said, now)
    if changes:
        return _keep(session, order, "edited", changes, said, now)
    if said != before:
        order.imported = {**order.imported, "said": said}
    return ""


def _plain(value: Any) -> str:
    if isinstance(value, dict):
        return ", ".join(str(v) for v in value.values() if v)
    if isinstance(value, (list, tuple)):
        return ", ".join(f"{line['quantity']} × {line['name'] or line['sku']}" for line in value)
    return "" if value is None else str(value)


def _follow(session: Session, order: Order, said: Written, state: str, why: str, now: datetime) -> str:
    """Let an order that its channel kept back go where the channel says now."""
    if (order.state, order.state_why) == (state, why):
        return ""
    order.imported = {**order.imported, "said": said}
    was = order.state_why
    move_order(order, _CHANNEL_MOVES[state], why)
    if state == "open":
        order.payment = order.channel.payments.get(said["money"], order.payment)
        plan_orders(session, [order], now)
    write_history(session, order, "the channel", f"{was or 'kept back'} → {why or 'open'}", now)
    return why or "may go now"


def _keep(
    session: Session, order: Order, kind: str, changes: list[dict[str, str]], said: Written, now: datetime
) -> str:
    waiting = session.scalar(select(Difference).where(Difference.order_id == order.id, Difference.state == "waiting"))
    earlier = select(Difference).where(Difference.order_id == order.id, Difference.state == "refused")
    refused = session.scalar(earlier.order_by(Difference.id.desc()).limit(1))
    if (waiting and waiting.upstream == said) or (not waiting and refused and refused.upstream == said):
        return ""
    if waiting is None:
        waiting = Difference(order_id=order.id)
        session.add(waiting)
    waiting.at, waiting.kind, waiting.changes, waiting.upstream, waiting.state = now, kind, changes, said, "waiting"
    session.flush()
    plan_orders(session, [order], now)
    return "cancelled after import" if kind == "cancelled" else f"changed after import: {changes[0]['field']}"


def waiting_differences(session: Session, order_ids: Sequence[int] | None = None) -> Sequence[Difference]:
    """Return the differences nobody has decided about, of these orders or of all."""
    query = select(Difference).where(Difference.state == "waiting").order_by(Difference.at.desc())
    return session.scalars(query if order_ids is None else query.where(Difference.order_id.in_(order_ids))).all()


def decide_difference(session: Session, difference_id: int, take: bool, who: str, now: datetime) -> Order:
    """Take what the channel changed, or refuse it; hand edits stay either way.

    Raises NotFound, and Conflict where a label is bought: that must be voided first.
    """
    row = session.get(Difference, difference_id, with_for_update=True)
    if row is None or row.state != "waiting":
        raise NotFound("unknown_difference", "Somebody has decided about this already.")
    order = session.get_one(Order, row.order_id, with_for_update=True)
    if take and has_label(session, order.id):
        raise Conflict("bought", "A label is bought for this order. Void it first, or refuse the change.")
    if take:
        _apply(session, order, row)
    row.state, row.decided_by, row.decided_at = "taken" if take else "refused", who, now
    session.flush()
    write_history(session, order, who, f"{'took' if take else 'refused'} the channel's change ({row.kind})", now)
    plan_orders(session, [order], now)
    return order


def _apply(session: Session, order: Order, row: Difference) -> None:
    said = row.upstream
    if row.kind == "cancelled":
        move_order(order, OrderMove.CHANNEL_CANCELS, "cancelled in the channel after import")
        order.imported = {**order.imported, "said": said}
        return
    before = order.imported.get("said", {})
    if before.get("address") != said["address"]:
        order.address = read_address(said["address"])
    if before.get("lines") != said["lines"]:
        _replace_lines(session, order, said["lines"])
    for name in ("promise", "note", "home", "paid_shipping_minor", "billing_name"):
        setattr(order, name, said[name])
    order.promise_date = date.fromisoformat(said["promise_date"]) if said["promise_date"] else None
    order.imported = {**order.imported, "said": said}
    address = order.address
    order.recipient_key = recipient_key(address)
    order.search = search_text(order.number, address, [f"{ln.name} {ln.sku}" for ln in order.lines], order.reference)


def _replace_lines(session: Session, order: Order, lines: list[Written]) -> None:
    order.hand = replace(order.hand, parcels=())
    order.lines = []
    session.flush()  # the old lines go before new ones take their positions
    order.lines = [OrderLine(position=n, sent=0, **line) for n, line in enumerate(lines, 1)]
    session.flush()
