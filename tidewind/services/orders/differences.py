"""What a channel says about an order after it was taken in: followed where nothing is decided here, else asked.

An order that the channel itself keeps back follows it.  Of every other a person decides: what must not leave meanwhile
stops, and with it the orders that it goes along with and the parts that were made of it.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import asdict, replace
from datetime import date, datetime
from typing import NamedTuple

from sqlalchemy import exists, or_, select, update
from sqlalchemy.orm import Session

from tidewind.core.channel_changes import (
    FIELDS,
    ChangeKind,
    FieldChange,
    changes_between,
    kind_of,
    merged_address,
    merged_lines,
)
from tidewind.core.states.labels import LabelState
from tidewind.core.states.orders import OrderMove, OrderStanding
from tidewind.core.stored import read_address
from tidewind.core.written import Written
from tidewind.db.tables import Difference, Order, OrderLine, Shipment
from tidewind.outside.channels.upstream import UpstreamOrder
from tidewind.services.base import (
    Conflict,
    NotFound,
    has_label,
    lock_orders,
    move_order,
    orders_with_label,
    standing_of,
    write_history,
)
from tidewind.services.orders.belonging import family_of, put_back, set_address, together_again
from tidewind.services.orders.taking_in import with_recipient_number
from tidewind.services.planning import plan_orders

_MOVES = {
    "open": OrderMove.CHANNEL_LETS_GO,
    "held": OrderMove.CHANNEL_HOLDS,
    "left_out": OrderMove.CHANNEL_LEAVES_OUT,
    "ignored": OrderMove.CHANNEL_LEAVES_OUT,
    "cancelled": OrderMove.CHANNEL_CANCELS,
}
_GONE = frozenset({OrderStanding.SHIPPED, OrderStanding.SHIPPED_ALONG})
_THE_CHANNEL = "the channel"


class Fate(NamedTuple):
    """What the channel's states mean for us: open, held, left_out, ignored or cancelled; why; and how it is paid."""

    state: str
    why: str
    payment: str = "paid"


def compare_with_channel(session: Session, order: Order, upstream: UpstreamOrder, fate: Fate, now: datetime) -> str:
    """Compare an order with what its channel says now; return in words what is different, or nothing."""
    said, before = upstream.snapshot(), order.imported.get("said", {})
    changes = changes_between(before, said)
    if order.state_by == "channel":
        return follow_channel(session, order, said, fate, now)
    moved = (before.get("stage"), before.get("money")) != (said["stage"], said["money"])
    gone = standing_of(order) in _GONE or has_label(session, order.id)
    must_not = moved and fate.state != "open" and not (gone and fate.state in {"ignored", "left_out"})
    if must_not:
        stage = (before.get("stage"), before.get("money")), (said["stage"], said["money"])
        changes.insert(0, FieldChange("state", *(" / ".join(str(w or "") for w in pair) for pair in stage)))
        return _keep(session, order, kind_of(changes, fate.state), changes, said, fate, now)
    if changes:
        return _keep(session, order, kind_of(changes, "open"), changes, said, fate, now)
    return _as_before(session, order, said, fate, now, gone=gone)


def follow_channel(session: Session, order: Order, said: Written, fate: Fate, now: datetime) -> str:
    """Let an order that its channel keeps back be what the channel says now, and go where it says; return words."""
    before = (order.state, order.state_why)
    changes = changes_between(order.imported.get("said", {}), said)
    touched = _apply(session, order, said, now) if changes else set()
    order.imported = {**order.imported, "said": said}
    order.payment = fate.payment
    was = order.state_why
    move_order(order, _MOVES[fate.state], fate.why)
    if (order.state, order.state_why) == before and not changes:
        return ""
    plan_orders(session, lock_orders(session, {order.id, *touched}), now)
    words = f"{was or 'kept back'} → {fate.why or 'open'}"
    fields = ", ".join(c.field for c in changes)
    write_history(session, order, _THE_CHANNEL, f"{words}; changed: {fields}" if changes else words, now)
    return fate.why or "may go now"


def _as_before(session: Session, order: Order, said: Written, fate: Fate, now: datetime, *, gone: bool) -> str:
    """Nothing that needs a person is different: take back what the channel took back, follow how it is paid."""
    waiting = _waiting(session, order.id)
    before = order.imported.get("said", {})
    words = ""
    _forget_refused(session, order.id)
    if waiting is not None:
        waiting.state, waiting.decided_by, waiting.decided_at = "withdrawn", _THE_CHANNEL, now
        session.flush()
        words = "is again as it was imported"
    if fate.state == "open" and fate.payment != order.payment and not gone:
        words = f"paid: {order.payment} → {fate.payment}".replace("_", " ")
        order.payment = fate.payment
    if said != before:
        order.imported = {**order.imported, "said": said}
    if words:
        write_history(session, order, _THE_CHANNEL, words, now)
        plan_orders(session, family_of(session, order), now)
    return words


def _waiting(session: Session, order_id: int) -> Difference | None:
    return session.scalar(select(Difference).where(Difference.order_id == order_id, Difference.state == "waiting"))


def _keep(
    session: Session,
    order: Order,
    kind: ChangeKind,
    changes: Sequence[FieldChange],
    said: Written,
    fate: Fate,
    now: datetime,
) -> str:
    """Keep a change for a person, once; one that was refused is not asked again while the channel says the same."""
    waiting = _waiting(session, order.id)
    earlier = select(Difference).where(Difference.order_id == order.id, Difference.state == "refused")
    refused = session.scalar(earlier.order_by(Difference.id.desc()).limit(1))
    if (waiting and waiting.upstream == said) or (not waiting and refused and refused.upstream == said):
        return ""
    if waiting is None:
        waiting = Difference(order_id=order.id)
        session.add(waiting)
    waiting.at, waiting.kind, waiting.upstream, waiting.state = now, kind.value, said, "waiting"
    waiting.changes, waiting.fate = [asdict(change) for change in changes], fate._asdict()
    session.flush()
    plan_orders(session, family_of(session, order), now)
    if kind is ChangeKind.CANCELLED:
        return "cancelled after import"
    return fate.why if kind is ChangeKind.STOPPED else f"changed after import: {changes[0].field}"


def _forget_refused(session: Session, order_id: int) -> None:
    """Let a refusal be over once the channel takes its change back: the same one said again is asked again."""
    refused = Difference.order_id == order_id, Difference.state == "refused"
    session.execute(update(Difference).where(*refused).values(upstream={}))


def waiting_differences(session: Session, order_ids: Collection[int] | None = None) -> Sequence[Difference]:
    """Return the differences nobody has decided about, newest first: all, or those that concern these orders.

    An order is concerned by its own, by that of the order it is part of, and by those of orders that go along with it.
    """
    query = select(Difference).where(Difference.state == "waiting").order_by(Difference.at.desc(), Difference.id)
    if order_ids is not None:
        belongs = or_(Order.id == Difference.order_id, Order.part_of == Difference.order_id)
        mine = or_(Order.id.in_(order_ids), Order.joined_to.in_(order_ids))
        query = query.where(exists().where(belongs, mine))
    return session.scalars(query).all()


def waiting_difference(session: Session, difference_id: int) -> Difference:
    """Return a change that waits for a decision, locked.  Raises NotFound."""
    row = session.get(Difference, difference_id, with_for_update=True, populate_existing=True)
    if row is None or row.state != "waiting":
        raise NotFound("unknown_difference", "Somebody has decided about this already.")
    return row


def labels_made_wrong(session: Session, row: Difference) -> Sequence[Shipment]:
    """Return the shipments that are bought, or being bought, and that would be wrong once a change is taken.

    What stops nothing makes no label wrong.  A change of the items is about what has not left yet: the labels of parts
    stand.  A cancellation, or another address, is about every parcel of the order.
    """
    kind = ChangeKind(row.kind)
    if kind is ChangeKind.EDITED:
        return []
    mine = Order.id == row.order_id
    if kind is not ChangeKind.CONTENT or any(change["field"] == FIELDS["address"] for change in row.changes):
        mine = or_(mine, Order.part_of == row.order_id)
    pairs = session.execute(select(Order.id, Order.joined_to).where(mine))
    ids = {i for pair in pairs for i in pair if i is not None}
    counts = Shipment.state.in_(LabelState.COUNTS)
    return session.scalars(select(Shipment).where(Shipment.order_id.in_(ids), counts).order_by(Shipment.id)).all()


def decide_difference(session: Session, difference_id: int, take: bool, who: str, now: datetime) -> Order:
    """Take what the channel changed, or refuse it; what was corrected here stays where the channel left it alone.

    Raises NotFound, and Conflict where a label is bought that the change makes wrong: that must be voided first.
    """
    row = waiting_difference(session, difference_id)
    family = lock_orders(session, {o.id for o in family_of(session, session.get_one(Order, row.order_id))})
    order = next(o for o in family if o.id == row.order_id)
    if take and labels_made_wrong(session, row):
        raise Conflict("bought", "A label is bought for this order. Void it first, or refuse the change.")
    row.state, row.decided_by, row.decided_at = "taken" if take else "refused", who, now
    session.flush()
    touched = {o.id for o in family}
    if take:
        touched |= _take(session, order, row, who, now)
    write_history(session, order, who, f"{'took' if take else 'refused'} the channel's change ({row.kind})", now)
    session.flush()
    plan_orders(session, lock_orders(session, touched), now)
    return order


def _take(session: Session, order: Order, row: Difference, who: str, now: datetime) -> set[int]:
    """Let an order be what the channel says; return the orders beside its family that must be planned anew."""
    said, kind = row.upstream, ChangeKind(row.kind)
    touched = _apply(session, order, said, now)
    fate = Fate(**row.fate) if row.fate else Fate("cancelled" if kind is ChangeKind.CANCELLED else "open", "")
    if kind in {ChangeKind.CANCELLED, ChangeKind.STOPPED}:
        touched |= together_again(session, order) | put_back(session, order, who, now)
        why = "cancelled in the channel after import" if kind is ChangeKind.CANCELLED else fate.why
        move_order(order, _MOVES[fate.state], why)
        order.snags, order.snag_level = [], ""  # it is planned no more; what is said of it is its state
    if fate.state == "open":
        order.payment = fate.payment
    return touched


def _apply(session: Session, order: Order, said: Written, now: datetime) -> set[int]:
    """Merge the channel's word into an order; return the ids of orders that no longer go along with it."""
    before = order.imported.get("said", {})
    touched: set[int] = set()
    if before.get("lines") != said["lines"]:
        touched |= put_back(session, order, _THE_CHANNEL, now)
        _replace_lines(session, order, said["lines"])
    set_to = {
        name: said[name]
        for name in ("promise", "note", "home", "paid_shipping_minor", "billing_name")
        if before.get(name) != said[name]
    }
    if before.get("currency", "") != said.get("currency", ""):
        set_to["currency"] = said.get("currency", "")
    if before.get("promise_date") != said["promise_date"]:
        set_to["promise_date"] = date.fromisoformat(said["promise_date"]) if said["promise_date"] else None
    number = said.get("recipient_number", "")
    told_number = number != before.get("recipient_number", "")
    address = merged_address(order.address, read_address(before.get("address", {})), read_address(said["address"]))
    for one in (order, *_parts_left(session, order)):
        for name, value in set_to.items():
            setattr(one, name, value)
        if told_number:
            one.hand = with_recipient_number(one.hand, number)
        set_address(one, address)
    order.imported = {**order.imported, "said": said}
    session.flush()
    along = session.scalars(select(Order).where(Order.joined_to == order.id)).all()
    host = session.get(Order, order.joined_to) if order.joined_to else None
    if any(o.recipient_key != order.recipient_key for o in (*along, *([host] if host else ()))):
        # What goes to another person or place now goes by itself.
        touched |= together_again(session, order)
    for one in (order, *([host] if host else ())):
        one.hand = replace(one.hand, parcels=()) if before.get("lines") != said["lines"] else one.hand
    return touched


def _parts_left(session: Session, order: Order) -> Sequence[Order]:
    parts = session.scalars(select(Order).where(Order.part_of == order.id)).all()
    bought = orders_with_label(session, [part.id for part in parts])
    return [part for part in parts if part.id not in bought]


def _replace_lines(session: Session, order: Order, lines: list[Written]) -> None:
    merged = merged_lines([(ln.sku, ln.sent, ln.weight_g) for ln in order.lines], lines)
    order.lines = []
    session.flush()  # the old lines go before new ones take their positions
    order.lines = [OrderLine(position=n, **asdict(line)) for n, line in enumerate(merged, 1)]
    session.flush()
