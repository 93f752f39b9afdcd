"""Who works on what, fixes of snags, parts of orders, what channels changed, and an order's history."""

from __future__ import annotations

from fastapi import APIRouter

from tidewind.services import departures, differences, parts, working
from tidewind.services import orders as service
from tidewind.services.history import history
from tidewind.services.live import tell
from tidewind.web.access import Anyone, Care, Now, Owner, Shipper, Tx
from tidewind.web.presenting import order_rows, order_sheet
from tidewind.web.schemas.orders import DifferenceOut, OrderRow, OrderSheet
from tidewind.web.schemas.worklist import (
    ClaimIn,
    ClearIn,
    DecideIn,
    HeldBy,
    HistoryOut,
    ItemsIn,
    OrdersIn,
    SnagGroup,
)

router = APIRouter(prefix="/api", tags=["orders"])


@router.post("/claims")
def claim(body: ClaimIn, who: Anyone, session: Tx, now: Now) -> list[HeldBy]:
    """Say that one is working on orders, and return those somebody else has; again within two minutes to keep them."""
    before = {i for i, held in working.held_now(session, now, body.order_ids).items() if held.person_id == who.id}
    others = working.claim(session, body.order_ids, who.id, body.take_over, now)
    if set(body.order_ids) - before - set(others):
        tell(session, "claims")
    return [HeldBy.model_validate(held) for held in others.values()]


@router.post("/claims/let-go", status_code=204)
def let_go(body: OrdersIn, who: Anyone, session: Tx) -> None:
    """Say that one is done with orders."""
    working.let_go(session, body.order_ids, who.id)
    tell(session, "claims")


@router.get("/snags")
def snags(_who: Anyone, session: Tx) -> list[SnagGroup]:
    """Return the snags of waiting orders, those about the same thing together."""
    return [SnagGroup.model_validate(g) for g in departures.snag_groups(session)]


@router.post("/orders/billing-name")
def use_billing_name(body: OrdersIn, who: Care, session: Tx, now: Now) -> list[OrderRow]:
    """Put the billing name where the recipient's name is missing."""
    orders = service.use_billing_name(session, body.order_ids, who.name, now)
    tell(session, "orders")
    session.flush()
    return order_rows(session, orders, now, who.id)


@router.post("/orders/approve")
def approve(body: OrdersIn, who: Owner, session: Tx, now: Now) -> list[OrderRow]:
    """Approve orders that a rule keeps back for it."""
    orders = service.approve(session, body.order_ids, who.name, now)
    tell(session, "orders")
    session.flush()
    return order_rows(session, orders, now, who.id)


@router.post("/orders/{order_id}/clear")
def clear_party(order_id: int, body: ClearIn, who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Clear an order of a near match with a restricted party, with a reason that stays on record."""
    order = service.clear_party(session, order_id, body.party, body.reason, who.id, who.name, now)
    tell(session, "orders")
    session.flush()
    return order_sheet(session, order, now, who)


@router.post("/orders/{order_id}/sent")
def set_sent(order_id: int, body: ItemsIn, who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Say how many of each item were sent already; the plan is for the rest."""
    order = parts.set_sent(session, order_id, body.items, who.name, now)
    tell(session, "orders")
    return order_sheet(session, order, now, who)


@router.post("/orders/{order_id}/apart")
def send_apart(order_id: int, body: ItemsIn, who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Take items out into a part of its own, with its own plan and label; returns the part."""
    part = parts.send_apart(session, order_id, body.items, who.name, now)
    tell(session, "orders")
    return order_sheet(session, part, now, who)


@router.post("/orders/join")
def join(body: OrdersIn, who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Let orders to one person go together; returns the one they go with."""
    host = parts.join(session, body.order_ids, who.name, now)
    tell(session, "orders")
    return order_sheet(session, host, now, who)


@router.post("/orders/{order_id}/undo")
def undo(order_id: int, who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Undo the last change by hand, division or joining of an order."""
    order = parts.undo(session, order_id, who.name, now)
    tell(session, "orders")
    return order_sheet(session, order, now, who)


@router.get("/orders/{order_id}/history")
def order_history(order_id: int, _who: Anyone, session: Tx) -> list[HistoryOut]:
    """Return who did what to an order, newest first."""
    return [HistoryOut.model_validate(h) for h in history(session, order_id)]


@router.get("/differences")
def waiting_differences(_who: Anyone, session: Tx) -> list[DifferenceOut]:
    """Return what channels changed after import and nobody has decided about."""
    return [DifferenceOut.model_validate(d) for d in differences.waiting_differences(session)]


@router.post("/differences/{difference_id}")
def decide(difference_id: int, body: DecideIn, who: Care, session: Tx, now: Now) -> OrderSheet:
    """Take what the channel changed, or refuse it."""
    order = differences.decide(session, difference_id, body.take, who.name, now)
    tell(session, "orders")
    session.flush()
    return order_sheet(session, order, now, who)
