"""Carriers' own packaging ordered from them: asked once under a key, and counted in as it comes."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.states.reorders import REORDER_MOVES, ReorderMove, ReorderState
from tidewind.db.tables import CarrierRow, PackagingOrder, PackagingRow
from tidewind.outside.errors import MaybeDone, NeverSent, RefusedOutside
from tidewind.services.base import Conflict, Invalid, NotFound, Outside, defer, each_by_itself, is_due, move_row
from tidewind.services.planning import default_place
from tidewind.services.shop.stock import take_packaging

MOST_PIECES, SHOWN = 10_000, 30
LONGEST_PAUSE = timedelta(minutes=10)


def order_packaging(
    session: Session, carrier: str, pieces: Mapping[str, int], client_key: str, who: str, now: datetime
) -> PackagingOrder:
    """Ask a carrier for its packaging, so many pieces by code; the same ``client_key`` is the same order.

    Raises Conflict for a carrier that sends none, Invalid for packaging that is not its own, or for none at all.
    """
    key = f"boxes-{client_key}"[:60]
    known = session.scalar(select(PackagingOrder).where(PackagingOrder.idempotency_key == key))
    if known is not None:
        return known
    row = session.scalar(select(CarrierRow).where(CarrierRow.code == carrier, CarrierRow.active))
    if row is None or "packaging" not in row.can:
        raise Conflict("no_packaging", "This carrier sends no packaging over its connection.")
    wanted = {code: count for code, count in pieces.items() if count}
    own = set(session.scalars(select(PackagingRow.code).where(PackagingRow.carrier == carrier)))
    if not wanted or any(not 1 <= count <= MOST_PIECES for count in wanted.values()) or set(wanted) - own:
        raise Invalid("pieces", f"Say how many pieces of {row.name}'s own packaging, at most {MOST_PIECES:,} of each.")
    made = PackagingOrder(carrier=carrier, idempotency_key=key, pieces=wanted, asked_by=who, asked_at=now)
    made.next_try_at = now
    session.add(made)
    session.flush()
    defer(session, "settle_packaging_orders")
    return made


def packaging_orders(session: Session) -> Sequence[PackagingOrder]:
    """Return what was ordered lately, the newest first."""
    return session.scalars(select(PackagingOrder).order_by(PackagingOrder.id.desc()).limit(SHOWN)).all()


def packaging_arrived(session: Session, order_id: int) -> PackagingOrder:
    """Count what has come into the stock of what is counted.  Raises NotFound, Conflict where it is not on its way."""
    row = session.get(PackagingOrder, order_id, with_for_update=True)
    if row is None:
        raise NotFound("unknown_order", "There is no such order of packaging.")
    move_row(row, REORDER_MOVES, ReorderState, ReorderMove.ARRIVE)
    take_packaging(session, {code: -count for code, count in row.pieces.items()})
    return row


def settle_packaging_orders(
    sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]
) -> dict[int, str]:
    """Ask carriers for what was ordered and is due; return the state of each order afterwards."""
    with sessions() as session:
        due = session.scalars(
            select(PackagingOrder.id)
            .where(PackagingOrder.state == ReorderState.ASKED)
            .where(is_due(PackagingOrder.next_try_at, clock(), LONGEST_PAUSE))
            .order_by(PackagingOrder.id)
        ).all()
    return each_by_itself("order packaging", due, lambda one: _settle(sessions, outside, one, clock))


def _settle(sessions: sessionmaker[Session], outside: Outside, order_id: int, clock: Callable[[], datetime]) -> str:
    with sessions.begin() as session:
        row = session.get_one(PackagingOrder, order_id, with_for_update=True)
        if row.state != ReorderState.ASKED:
            return row.state
        row.attempts += 1
        row.next_try_at = clock() + min(timedelta(seconds=10 * 2 ** min(row.attempts, 6)), LONGEST_PAUSE)
        carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == row.carrier)).one()
        to = default_place(session).address
        client, key, pieces = outside.carrier(carrier), row.idempotency_key, dict(row.pieces)
    try:
        answer = client.order_packaging(key, pieces, to)
        move, words = ReorderMove.CONFIRM, ""
    except RefusedOutside as refusal:
        answer, move, words = None, ReorderMove.REFUSE, str(refusal)
    except (NeverSent, MaybeDone):
        return ReorderState.ASKED  # it is due again soon: the same key is the same order, taken or not
    with sessions.begin() as session:
        row = session.get_one(PackagingOrder, order_id, with_for_update=True)
        if row.state == ReorderState.ASKED:
            move_row(row, REORDER_MOVES, ReorderState, move)
            row.words, row.next_try_at = words[:300], None
            if answer is not None:
                row.confirmation, row.arrives = answer
        return row.state
