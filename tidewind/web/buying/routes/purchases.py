"""Preflight, buying, voids, and the refunds that follow."""

from __future__ import annotations

from fastapi import APIRouter
from sqlalchemy.orm import Session

from tidewind.db.tables import Shipment
from tidewind.services import buying as service
from tidewind.services.buying import (
    ToBuy,
    ask_to_buy,
    ask_void,
    chase_refund,
    check_orders,
    settle_label,
    waiting_refunds,
)
from tidewind.services.shop import carriers_by_code
from tidewind.web.access import Anyone, Now, Parts, Shipper, Tx
from tidewind.web.buying.schemas import (
    BuyIn,
    ChaseIn,
    CheckIn,
    DroppedOut,
    PreflightOut,
    PrintedTooIn,
    PurchaseOut,
    RefundOut,
    SettledIn,
    VoidedOut,
    VoidIn,
)
from tidewind.web.orders.presenting import order_sheet
from tidewind.web.orders.schemas.order import OrderSheet

router = APIRouter(prefix="/api", tags=["buying"])


@router.post("/preflight")
def preflight(body: CheckIn, who: Shipper, session: Tx, now: Now) -> PreflightOut:
    """Check orders before they are bought: snags, approvals, moved prices, conflicts, balance. Nothing is bought."""
    return PreflightOut.model_validate(check_orders(session, body.orders, who.id, now))


@router.post("/purchases", status_code=202)
def buy(body: BuyIn, who: Shipper, session: Tx, now: Now) -> PurchaseOut:
    """Buy the labels of these orders at the prices shown; the same ``client_key`` again buys nothing more."""
    wishes = [ToBuy(wish.order_id, wish.shown_minor) for wish in body.orders]
    asked = ask_to_buy(session, wishes, body.client_key, who.id, now, body.batch_id)
    return PurchaseOut(
        batch_id=asked.batch_id,
        taken=asked.taken,
        dropped=[DroppedOut(order_id=order_id, words=words) for order_id, words in asked.dropped.items()],
    )


@router.post("/differences/{difference_id}/void")
def void_and_take(difference_id: int, body: PrintedTooIn, who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Void the labels that a channel's change makes wrong, and take the change: both, or neither."""
    order = service.void_and_take(session, difference_id, who.name, body.printed_too, now)
    session.flush()
    return order_sheet(session, order, now, who)


@router.post("/differences/{difference_id}/keep-here")
def keep_here(difference_id: int, who: Anyone, session: Tx, now: Now) -> OrderSheet:
    """Take the parcels of a changed order out of the driver's count; the change still waits for a decision."""
    order = service.keep_here(session, difference_id, who.name, now)
    session.flush()
    return order_sheet(session, order, now, who)


@router.post("/voids")
def void(body: VoidIn, who: Shipper, session: Tx, now: Now) -> VoidedOut:
    """Ask the carriers to void labels; the orders come back onto the work list. Printed ones need ``printed_too``."""
    done = ask_void(session, body.shipment_ids, who.name, body.printed_too, now)
    return VoidedOut(asked=done.asked, refused=done.refused)


@router.post("/unsettled/{shipment_id}", status_code=204)
def settle_late(shipment_id: int, body: SettledIn, who: Shipper, session: Tx, now: Now) -> None:
    """Note what was made of a label that a carrier sold after we had given up, and does not take back."""
    settle_label(session, shipment_id, body.words, who.name, now)


@router.get("/refunds")
def refunds(_who: Shipper, session: Tx, now: Now) -> list[RefundOut]:
    """Return the voids that wait for their refund, overdue ones first."""
    in_time, late = waiting_refunds(session, now)
    return [*(_refund(session, s, True) for s in late), *(_refund(session, s, False) for s in in_time)]


@router.post("/refunds/{shipment_id}/chase")
def chase(shipment_id: int, body: ChaseIn, who: Shipper, session: Tx, now: Now, parts: Parts) -> RefundOut:
    """Press a carrier about an overdue refund by mail, all facts filled in."""
    return _refund(session, chase_refund(session, parts.outside, shipment_id, body.mail_to, who.name, now), True)


def _refund(session: Session, s: Shipment, overdue: bool) -> RefundOut:
    if s.void_asked_at is None or s.void_due_on is None:
        raise ValueError(f"shipment {s.id} waits for no refund")
    carrier = carriers_by_code(session)[s.carrier]
    return RefundOut(
        shipment_id=s.id,
        order_id=s.order_id,
        order_number=s.order.number,
        carrier=carrier.name,
        service_name=s.service_name,
        price_minor=s.price_minor,
        asked_at=s.void_asked_at,
        asked_by=s.void_asked_by,
        due_on=s.void_due_on,
        overdue=overdue,
        chased_at=s.chased_at,
    )
