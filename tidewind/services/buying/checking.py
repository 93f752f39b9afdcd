"""Preflight: everything that is checked before money moves, from the orders as they stand now."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.preflight import Candidate, Preflight, preflight
from tidewind.core.stored import StoredLine
from tidewind.db.tables import Batch, CarrierRow, Order
from tidewind.services.base import MOST_ORDERS, Invalid, NotFound
from tidewind.services.books import balance_now
from tidewind.services.buying.asking import StandingLabel, payer_of, premium_of, standing_labels
from tidewind.services.people import AtWork, at_work_on
from tidewind.services.planning import keep_up, shop_settings

# Lines of a quote that every parcel of the kind has, or that nobody can leave off; all others are worth naming.
_USUAL = frozenset({"base", "discount", "fuel", "tax", "home"})


def check_orders(session: Session, shown: Mapping[int, int | None], person_id: int, now: datetime) -> Preflight:
    """Check orders before they are bought: order id → the price that the person saw, None where none was shown.

    Those whose truck has left meanwhile are planned anew first.
    Raises Invalid for no or too many orders, NotFound where one does not exist.
    """
    if not 1 <= len(shown) <= MOST_ORDERS:
        raise Invalid("batch_size", f"Choose between 1 and {MOST_ORDERS:,} orders.")
    orders = session.scalars(select(Order).where(Order.id.in_(shown)).order_by(Order.id)).all()
    if len(orders) != len(shown):
        raise NotFound("unknown_order", "One of these orders does not exist.")
    standing = standing_labels(session, shown)
    keep_up(session, [order for order in orders if order.id not in standing], now)
    accounts = {a.code: a for a in session.scalars(select(CarrierRow))}
    held = at_work_on(session, now, list(shown))
    lying = _other_batches(session, orders, person_id)
    found = [
        _candidate(o, shown[o.id], accounts, standing.get(o.id), _whose(held.get(o.id), lying.get(o.id), person_id))
        for o in orders
    ]
    return preflight(found, balance_now(session).available_minor, shop_settings(session).currency)


def _candidate(
    order: Order, shown: int | None, accounts: Mapping[str, CarrierRow], standing: StandingLabel | None, held_by: str
) -> Candidate:
    gone = standing.words if standing else ("" if order.state == "open" else f"is {order.state.replace('_', ' ')}")
    return Candidate(
        order_id=order.id,
        number=order.number,
        carrier=order.carrier or "",
        service=order.service or "",
        labels=order.parcel_count,
        price=order.price_minor,
        shown=shown,
        stops=tuple(s.words for s in order.snags if s.level == "stops" and s.code != "needs_approval"),
        warns=tuple(s.words for s in order.snags if s.level == "warns" and s.code != "promise_missed"),
        approval=next((s.words for s in order.snags if s.code == "needs_approval"), ""),
        gone=gone,
        held_by=held_by,
        late=any(s.code == "promise_missed" for s in order.snags),
        extras=tuple(_extras(order.plan.quote.lines if order.plan.quote else ()).items()),
        premium=premium_of(order),
        payer=payer_of(order, accounts),  # type: ignore[arg-type]
    )


def _extras(lines: Sequence[StoredLine]) -> dict[str, int]:
    """Return what each extra adds to a price, over all parcels, by its name."""
    sums: dict[str, int] = {}
    for line in lines:
        if line.amount_minor > 0 and line.code not in _USUAL:
            sums[line.name] = sums.get(line.name, 0) + line.amount_minor
    return sums


def _other_batches(session: Session, orders: Sequence[Order], person_id: int) -> dict[int, str]:
    ids = {o.batch_id for o in orders if o.batch_id}
    found = {b.id: b for b in session.scalars(select(Batch).where(Batch.id.in_(ids)))} if ids else {}
    return {
        o.id: found[o.batch_id].person.name
        for o in orders
        if o.batch_id in found and found[o.batch_id].person_id != person_id
    }


def _whose(held: AtWork | None, batch_of: str | None, person_id: int) -> str:
    if held is not None and held.person_id != person_id:
        return held.person
    return f"{batch_of} (in a batch)" if batch_of else ""
