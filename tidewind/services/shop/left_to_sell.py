"""What is left to sell of each article: counted by hand or by a channel, less what orders have taken since."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Mapping
from contextlib import contextmanager
from datetime import datetime

from sqlalchemy import ColumnElement, func, or_, select
from sqlalchemy.orm import Session

from tidewind.core.states.orders import OrderState
from tidewind.core.stock import Sets, base_of, in_parts, levels, read_parts
from tidewind.db.tables import Order, OrderLine, Product, Return, Shipment
from tidewind.services.base import Invalid, NotFound

MOST_PIECES = 1_000_000


def stock_levels(session: Session, skus: Collection[str] | None = None) -> dict[str, int]:
    """Return the pieces that are left to sell, by SKU; of articles that were never counted nothing is said.

    ``skus`` keeps to some articles.  Below zero is what was sold beyond what there was.
    """
    sets = _sets(session)
    wanted = None if skus is None else _with_sets(set(skus), sets)
    query = select(Product.sku, Product.stock_base).where(Product.stock_base.is_not(None))
    if wanted is not None:
        query = query.where(Product.sku.in_(wanted))
    bases = {sku: base for sku, base in session.execute(query) if base is not None}
    if not bases:
        return {}
    found = levels(bases, _taken(session, wanted), _put_back(session), sets)
    return found if skus is None else {sku: left for sku, left in found.items() if sku in skus}


def count_stock(session: Session, counted: Mapping[str, int | None], now: datetime) -> None:
    """Keep what somebody counted on the shelf, by SKU; None for what is not to be counted any more.

    What waits to be packed lies on the shelf as well and is sold already: it is not left to sell.
    Raises NotFound for an unknown article, Invalid for a count that cannot be.
    """
    if any(pieces is not None and not 0 <= pieces <= MOST_PIECES for pieces in counted.values()):
        raise Invalid("bad_count", f"A count is between 0 and {MOST_PIECES:,} pieces.")
    waiting = in_parts(_waiting(session), _sets(session))
    left = {sku: None if pieces is None else pieces - waiting.get(sku, 0) for sku, pieces in counted.items()}
    missing = set(left) - keep_levels(session, left, now)
    if missing:
        raise NotFound("unknown_sku", f"No product has the SKU {min(missing)}.")


def keep_levels(session: Session, left: Mapping[str, int | None], now: datetime) -> set[str]:
    """Keep what is left to sell as somebody else has it, by SKU; return the SKUs that there are."""
    sets = _sets(session)
    wanted = _with_sets(set(left), sets)
    taken, back = in_parts(_taken(session, wanted), sets), in_parts(_put_back(session), sets)
    rows = session.scalars(select(Product).where(Product.sku.in_(left)).order_by(Product.sku).with_for_update()).all()
    for row in rows:
        pieces = left[row.sku]
        row.stock_counted_at = None if pieces is None else now
        row.stock_base = (
            None if pieces is None else base_of(pieces, taken=taken.get(row.sku, 0), put_back=back.get(row.sku, 0))
        )
    return {row.sku for row in rows}


@contextmanager
def levels_stay(session: Session) -> Iterator[None]:
    """Let what sets are made of change without a level: orders of before took what was in them then."""
    before = stock_levels(session)
    yield
    session.flush()
    after = stock_levels(session)
    moved = {sku: before[sku] - left for sku, left in after.items() if sku in before and before[sku] != left}
    counted = select(Product).where(Product.sku.in_(moved), Product.stock_base.is_not(None))
    for row in session.scalars(counted.order_by(Product.sku).with_for_update()):
        row.stock_base = (row.stock_base or 0) + moved[row.sku]


def _sets(session: Session) -> Sets:
    rows = session.execute(select(Product.sku, Product.parts).where(func.jsonb_array_length(Product.parts) > 0))
    return {sku: read_parts(parts) for sku, parts in rows}


def _with_sets(skus: set[str], sets: Sets) -> set[str]:
    """Return articles with the sets that they are in and the parts that they are made of."""
    found, before = set(skus), -1
    while len(found) != before:
        before = len(found)
        for of, parts in sets.items():
            if of in found or any(sku in found for sku, _ in parts):
                found |= {of, *(sku for sku, _ in parts)}
    return found


# A part of a divided order has lines of its own, and the whole still has all of them: it alone is counted.  What a
# channel sends from elsewhere was never on the shelf; what a rule leaves out was fetched there.
_TAKES = (
    Order.part_of.is_(None),
    Order.state != OrderState.CANCELLED,
    or_(Order.state != OrderState.LEFT_OUT, Order.state_by != "channel"),
)


def _taken(session: Session, skus: set[str] | None) -> dict[str, int]:
    query = select(OrderLine.sku, func.sum(OrderLine.quantity)).join(Order, Order.id == OrderLine.order_id)
    query = query.where(*_TAKES).group_by(OrderLine.sku)
    rows = session.execute(query if skus is None else query.where(OrderLine.sku.in_(skus)))
    return {sku: int(pieces) for sku, pieces in rows}


def _waiting(session: Session) -> dict[str, int]:
    """Return the pieces that are sold and still lie on the shelf: of open and held orders, what was not sent."""
    not_sent: ColumnElement[int] = func.sum(OrderLine.quantity - OrderLine.sent)
    query = select(OrderLine.sku, not_sent).join(Order, Order.id == OrderLine.order_id)
    query = query.where(Order.state.in_((OrderState.OPEN, OrderState.HELD))).group_by(OrderLine.sku)
    return {sku: int(pieces) for sku, pieces in session.execute(query)}


def _put_back(session: Session) -> dict[str, int]:
    """Return what came back and went on the shelf again: the articles its buyer named, else all of its order."""
    found: Counter[str] = Counter()
    whole: list[int] = []
    rows = session.execute(select(Return.items, Shipment.order_id).join(Shipment).where(Return.restocked))
    for items, order_id in rows:
        for item in items:
            found[str(item["sku"])] += int(item["quantity"])
        if not items:
            whole.append(order_id)
    lines = select(OrderLine.sku, func.sum(OrderLine.quantity)).where(OrderLine.order_id.in_(whole))
    for sku, pieces in session.execute(lines.group_by(OrderLine.sku)) if whole else ():
        found[sku] += int(pieces)
    return found
