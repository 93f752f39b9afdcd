"""Fixes of snags, parts of orders, what channels changed, and an order's history."""

from __future__ import annotations

from fastapi import APIRouter

from tidewind.services import orders as service
from tidewind.services.base import history_of
from tidewind.services.orders import approve_orders, decide_difference, join_orders, snag_groups, undo_change
from tidewind.web.access import Anyone, Care, Now, Owner, Shipper, Tx
from tidewind.web.base.schemas import OrdersIn
from tidewind.web.orders.presenting import differences_out, order_rows, order_sheet
from tidewind.web.orders.schemas.order import DifferenceOut, OrderRow, OrderSheet
from tidewind.web.orders.schemas.work_list import ClearIn, DecideIn, HistoryOut, ItemsIn, SnagGroup, UndoneOut

router = APIRouter(prefix="/api", tags=["orders"])


@router.get("/snags")
def snags(_who: Anyone, session: Tx) -> list[SnagGroup]:
    """Return the snags of waiting orders, those about the same thing together."""
    return [SnagGroup.model_validate(g) for g in snag_groups(session)]


@router.post("/orders/billing-name")
def use_billing_name(body: OrdersIn, who: Care, session: Tx, now: Now) -> list[OrderRow]:
    """Put the billing name where the recipient's name is missing."""
    orders = service.use_billing_name(session, body.order_ids, who.name, now)
    session.flush()
    return order_rows(session, orders, now, who.id)


@router.post("/orders/approve")
def approve(body: OrdersIn, who: Owner, session: Tx, now: Now) -> list[OrderRow]:
    """Approve orders that a rule keeps back for it."""
    orders = approve_orders(session, body.order_ids, who.name, now)
    session.flush()
    return order_rows(session, orders, now, who.id)


@router.post("/orders/{order_id}/clear")
def clear_party(order_id: int, body: ClearIn, who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Clear an order of a near match with a restricted party, with a reason that stays on record."""
    order = service.clear_party(session, order_id, body.party, body.reason, who.id, who.name, now)
    session.flush()
    return order_sheet(session, order, now, who)


@router.post("/orders/{order_id}/sent")
def set_sent(order_id: int, body: ItemsIn, who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Say how many of each item were sent already; the plan is for the rest."""
    order = service.set_sent(session, order_id, body.items, who.name, now)
    return order_sheet(session, order, now, who)


@router.post("/orders/{order_id}/apart")
def send_apart(order_id: int, body: ItemsIn, who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Take items out into a part of its own, with its own plan and label; returns the part."""
    part = service.send_apart(session, order_id, body.items, who.name, now)
    return order_sheet(session, part, now, who)


@router.post("/orders/join")
def join(body: OrdersIn, who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Let orders to one person go together; returns the one they go with."""
    host = join_orders(session, body.order_ids, who.name, now)
    return order_sheet(session, host, now, who)


@router.post("/orders/{order_id}/undo")
def undo(order_id: int, who: Shipper, session: Tx, now: Now, of_others: bool = False) -> OrderSheet:
    """Undo the last change by hand, division or joining of an order; somebody else's only with ``of_others``."""
    order = undo_change(session, order_id, who.name, now, of_others=of_others)
    return order_sheet(session, order, now, who)


@router.post("/orders/undo")
def undo_many(body: OrdersIn, who: Shipper, session: Tx, now: Now) -> UndoneOut:
    """Undo one's own last change of each of many orders; those that somebody else has changed since are named."""
    done, left = service.undo_changes(session, body.order_ids, who.name, now)
    return UndoneOut(order_ids=done, left=left)


@router.get("/orders/{order_id}/history")
def order_history(order_id: int, _who: Anyone, session: Tx) -> list[HistoryOut]:
    """Return who did what to an order, newest first."""
    return [HistoryOut.model_validate(h) for h in history_of(session, order_id)]


@router.get("/differences")
def waiting_differences(_who: Anyone, session: Tx) -> list[DifferenceOut]:
    """Return what channels changed after import and nobody has decided about."""
    return differences_out(session)


@router.post("/differences/{difference_id}")
def decide(difference_id: int, body: DecideIn, who: Care, session: Tx, now: Now) -> OrderSheet:
    """Take what the channel changed, or refuse it."""
    order = decide_difference(session, difference_id, body.take, who.name, now)
    session.flush()
    return order_sheet(session, order, now, who)
