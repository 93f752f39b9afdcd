"""One way to lock orders, in one order for everybody, so that two pieces of work never wait in a circle."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session
from sqlalchemy.orm.interfaces import ORMOption

from tidewind.db.among import among
from tidewind.db.tables import Order
from tidewind.services.base.errors import NotFound


def lock_orders(
    session: Session,
    ids: Iterable[int] = (),
    *,
    where: ColumnElement[bool] | None = None,
    most: int | None = None,
    skip_locked: bool = False,
    options: Iterable[ORMOption] = (),
    all_there: bool = False,
) -> list[Order]:
    """Lock orders by their ids, or those ``where`` something holds, and read them as they are now, by id.

    ``skip_locked`` leaves out what somebody else has locked.  With ``all_there`` raises NotFound where one of the ids
    is no order.
    """
    wanted = set(ids)
    clause = where if where is not None else among(Order.id, wanted)
    query = select(Order).where(clause).order_by(Order.id).limit(most).options(*options)
    query = query.with_for_update(of=Order, skip_locked=skip_locked).execution_options(populate_existing=True)
    found = list(session.scalars(query))
    if all_there and len(found) != len(wanted):
        raise NotFound("unknown_order", "One of these orders does not exist. Nothing was changed.")
    return found


def one_at_a_time(session: Session, what: str) -> None:
    """Let no other transaction do ``what`` until this one ends: for what is looked up before it is written.

    Whoever waited here reads what the one before has committed.
    """
    session.execute(select(func.pg_advisory_xact_lock(func.hashtext(what))))
