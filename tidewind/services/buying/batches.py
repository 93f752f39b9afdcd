"""Batches: filled by selecting, dragging or scanning, changed as a whole, bought, put away, and still findable."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

from sqlalchemy import ColumnElement, func, or_, select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import tidy
from tidewind.core.scanned import forms_of, order_of_slip
from tidewind.core.states.labels import LabelState
from tidewind.core.stored import NO_HAND, read_hand, write_hand
from tidewind.db.tables import Batch, Label, Order, PackagingRow, Person, Shipment
from tidewind.services.base import MOST_ORDERS, Conflict, Invalid, NotFound, lock_orders
from tidewind.services.people import at_work_on
from tidewind.services.planning import plan_orders

CHANGEABLE = frozenset({"service", "packaging", "extras", "ship_date"})


@dataclass(slots=True)
class Filled:
    """What came of filling a batch: how many went in, and the orders that did not, with the reason."""

    added: int = 0
    left_out: dict[int, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class BatchSummary:
    """A batch in a list: what lies in it and what was bought in it, in orders, labels and minor units."""

    id: int
    name: str
    state: str
    person_id: int
    person: str
    created_at: datetime
    waiting: int
    waiting_minor: int
    snagged: int
    shipments: Mapping[str, int]
    bought_minor: int
    labels: int
    printed: int


def start_batch(session: Session, name: str, client_key: str, person_id: int) -> Batch:
    """Start a batch; the same ``client_key`` again is the same batch."""
    known = session.scalar(select(Batch).where(Batch.client_key == client_key))
    if known is not None:
        return known
    batch = Batch(client_key=client_key, person_id=person_id, name=tidy(name)[:80], state="filling", changes=NO_HAND)
    session.add(batch)
    session.flush()
    if not batch.name:
        batch.name = f"Batch {batch.id}"
    return batch


def get_batch(session: Session, batch_id: int, *, lock: bool = False) -> Batch:
    """Return a batch, locked where asked.  Raises NotFound."""
    query = select(Batch).where(Batch.id == batch_id)
    if lock:
        query = query.with_for_update(of=Batch).execution_options(populate_existing=True)
    batch = session.scalar(query)
    if batch is None:
        raise NotFound("unknown_batch", "This batch does not exist.")
    return batch


def _being_filled(session: Session, batch_id: int) -> Batch:
    batch = get_batch(session, batch_id, lock=True)
    if batch.state != "filling":
        raise Conflict("batch_closed", f"The batch {batch.name} is {_STATES[batch.state]}; start another one.")
    return batch


_STATES = {"asked": "bought already", "archived": "put away"}


def fill_batch(
    session: Session, batch_id: int, order_ids: Sequence[int], person_id: int, take_over: bool, now: datetime
) -> Filled:
    """Put waiting orders into a batch; what lies in another, or what somebody works on, only with ``take_over``."""
    if not 1 <= len(order_ids) <= MOST_ORDERS:
        raise Invalid("how_many", f"Between 1 and {MOST_ORDERS:,} orders are put into a batch at once.")
    batch = _being_filled(session, batch_id)
    orders = lock_orders(session, order_ids)
    others = {b.id: b for b in session.scalars(select(Batch).where(Batch.id.in_({o.batch_id for o in orders})))}
    held = at_work_on(session, now, [o.id for o in orders])
    filled = Filled()
    changed = []
    for order in orders:
        other = others.get(order.batch_id or 0)
        holder = held.get(order.id)
        if order.state != "open":
            filled.left_out[order.id] = f"is {order.state.replace('_', ' ')}"
        elif other and other.id != batch.id and not take_over:
            whose = "yours" if other.person_id == person_id else f"{other.person.name}’s"
            filled.left_out[order.id] = f"lies in {other.name}, {whose}"
        elif holder and holder.person_id != person_id and not take_over:
            filled.left_out[order.id] = f"{holder.person} is working on it"
        elif order.batch_id != batch.id:
            order.batch_id = batch.id
            changed.append(order)
    filled.added = len(changed)
    if batch.changes != NO_HAND or any(b.changes != NO_HAND for b in others.values()):
        session.flush()
        plan_orders(session, changed, now)
    return filled


def scan_into_batch(session: Session, batch_id: int, code: str, person_id: int, now: datetime) -> tuple[Order, Filled]:
    """Put the order of a scanned slip or number into a batch.

    Raises NotFound where no order has it, Conflict where waiting orders of several channels do.
    """
    forms = forms_of(code)
    meant = or_(Order.number.in_(forms), Order.id == order_of_slip(forms))
    found = session.scalars(select(Order).where(meant).order_by(Order.id.desc())).all()
    waiting = [order for order in found if order.state == "open"]
    order = next(iter([*waiting, *found]), None)
    if order is None:
        raise NotFound("unknown_order", f"No order has the number {code.strip()[:60]}.")
    if len(waiting) > 1:
        channels = " and ".join(sorted(o.channel.name for o in waiting))
        raise Conflict("which", f"{channels} both have an order {order.number}. Scan its slip, or choose it on Orders.")
    return order, fill_batch(session, batch_id, [order.id], person_id, False, now)


def take_out(session: Session, batch_id: int, order_ids: Sequence[int], now: datetime) -> int:
    """Take orders out of a batch; they stay on the work list.  Returns how many."""
    batch = _being_filled(session, batch_id)
    orders = [order for order in lock_orders(session, order_ids) if order.batch_id == batch.id]
    for order in orders:
        order.batch_id = None
    if batch.changes != NO_HAND:
        session.flush()
        plan_orders(session, orders, now)
    return len(orders)


def change_batch(session: Session, batch_id: int, name: str | None, changes: Mapping[str, Any], now: datetime) -> Batch:
    """Rename a batch, or set what holds for all orders in it (None takes it back); what an order has by hand stays.

    Known are service, packaging, extras and ship_date.  Raises Invalid for anything else.
    """
    batch = _being_filled(session, batch_id)
    if set(changes) - CHANGEABLE:
        raise Invalid("unknown_change", "A batch can change service, box, extras and ship date.")
    if changes.get("packaging"):
        known = session.scalar(select(PackagingRow.id).where(PackagingRow.code == changes["packaging"]))
        if known is None:
            raise Invalid("unknown_packaging", f"There is no packaging {changes['packaging']}.")
    if name is not None and tidy(name):
        batch.name = tidy(name)[:80]
    fresh = {k: v.isoformat() if isinstance(v, date) else v for k, v in changes.items()}
    merged = read_hand({k: v for k, v in {**write_hand(batch.changes), **fresh}.items() if v is not None and v != ""})
    if merged != batch.changes:
        batch.changes = merged
        session.flush()
        plan_orders(session, orders_in_batch(session, batch_id), now)
    return batch


def archive_batch(session: Session, batch_id: int, away: bool) -> Batch:
    """Put a batch away or take it out again; orders that still lie in it go back to the list alone.

    Raises Conflict while labels of it are being bought.
    """
    batch = get_batch(session, batch_id, lock=True)
    buying = select(Shipment.id).where(Shipment.batch_id == batch_id, Shipment.state == "buying").limit(1)
    if session.scalar(buying) is not None:
        raise Conflict("still_buying", "Labels of this batch are being bought just now. Put it away when that is done.")
    if orders_in_batch(session, batch_id):
        raise Conflict("not_empty", "Orders still lie in this batch. Buy them or take them out first.")
    has_bought = session.scalar(select(Shipment.id).where(Shipment.batch_id == batch_id).limit(1)) is not None
    batch.state = "archived" if away else "asked" if has_bought else "filling"
    return batch


def orders_in_batch(session: Session, batch_id: int) -> Sequence[Order]:
    """Return the orders that lie in a batch and are not bought."""
    return session.scalars(select(Order).where(Order.batch_id == batch_id).order_by(Order.id)).all()


def exceptions_of(batch: Batch, order: Order) -> list[str]:
    """Return what an order has by hand where the batch says something else: its exceptions."""
    mine, whole = write_hand(order.hand), write_hand(batch.changes)
    return sorted(name for name in CHANGEABLE if name in mine and mine[name] != whole.get(name))


def _waiting_in(session: Session, ids: Sequence[int]) -> dict[int, tuple[int, int, int]]:
    return {
        i: (n, total or 0, snagged)
        for i, n, total, snagged in session.execute(
            select(
                Order.batch_id,
                func.count(),
                func.sum(Order.price_minor),
                func.count().filter(Order.snag_level == "stops"),
            )
            .where(Order.batch_id.in_(ids))
            .group_by(Order.batch_id)
        )
        if i is not None
    }


def _labels_in(session: Session, ids: Sequence[int]) -> dict[int, tuple[int, int]]:
    return {
        i: (n, printed)
        for i, n, printed in session.execute(
            select(Shipment.batch_id, func.count(Label.id), func.count(Label.printed_at))
            .join(Label, Label.shipment_id == Shipment.id)
            .where(Shipment.batch_id.in_(ids), Shipment.state == "bought")
            .group_by(Shipment.batch_id)
        )
    }


def _shipments_in(session: Session, ids: Sequence[int]) -> tuple[dict[int, dict[str, int]], dict[int, int]]:
    """Return how many shipments of each state are in batches, and what was spent on those that travel."""
    states: dict[int, dict[str, int]] = {}
    money: dict[int, int] = {}
    for i, state, n, total in session.execute(
        select(Shipment.batch_id, Shipment.state, func.count(), func.sum(Shipment.price_minor))
        .where(Shipment.batch_id.in_(ids))
        .group_by(Shipment.batch_id, Shipment.state)
    ):
        states.setdefault(i, {})[state] = n
        money[i] = money.get(i, 0) + (int(total) if state in LabelState.TRAVELS else 0)
    return states, money


def batch_summaries(
    session: Session, *, archived: bool = False, text: str = "", limit: int = 100, batch_id: int | None = None
) -> list[BatchSummary]:
    """Return batches, those being filled first and the newest first among them; put away ones only where asked.

    ``text`` finds a batch by its name, a person, an order's number or a tracking number.
    """
    query = select(Batch).order_by(Batch.state != "filling", Batch.id.desc()).limit(limit)
    if batch_id is not None:
        query = query.where(Batch.id == batch_id)
    elif text.strip():
        query = query.where(_matching(text.strip()))
    else:
        query = query.where((Batch.state == "archived") if archived else (Batch.state != "archived"))
    found = session.scalars(query).all()
    ids = [batch.id for batch in found]
    waiting, labels = _waiting_in(session, ids), _labels_in(session, ids)
    states, money = _shipments_in(session, ids)
    return [
        BatchSummary(
            b.id,
            b.name or f"Batch {b.id}",
            b.state,
            b.person_id,
            b.person.name,
            b.created_at,
            *waiting.get(b.id, (0, 0, 0)),
            states.get(b.id, {}),
            money.get(b.id, 0),
            *labels.get(b.id, (0, 0)),
        )
        for b in found
    ]


def _matching(text: str) -> ColumnElement[bool]:
    by_shipment = (
        select(Shipment.batch_id)
        .join(Order, Order.id == Shipment.order_id)
        .outerjoin(Label, Label.shipment_id == Shipment.id)
        .where((Order.number == text) | (Label.tracking_number == text.replace(" ", "")))
    )
    return (
        Batch.name.icontains(text, autoescape=True)
        | Batch.person.has(Person.name.icontains(text, autoescape=True))
        | Batch.id.in_(by_shipment)
        | Batch.id.in_(select(Order.batch_id).where(Order.number == text, Order.batch_id.is_not(None)))
    )
