"""Labels for the way back: ask, see, close."""

from __future__ import annotations

from fastapi import APIRouter
from sqlalchemy.orm import Session

from tidewind.db.tables import Return
from tidewind.services import follow as service
from tidewind.services.follow import ReturnRequest, ask_return, close_return
from tidewind.services.shop import carriers_by_code
from tidewind.web.access import Anyone, Care, Now, Tx
from tidewind.web.follow.schemas import CloseReturnIn, ReturnIn, ReturnOut

router = APIRouter(prefix="/api", tags=["returns"])


@router.get("/returns")
def all_returns(_who: Anyone, session: Tx) -> list[ReturnOut]:
    """Return the labels for the way back, the open ones first."""
    return [_return(session, row) for row in service.all_returns(session)]


def _return(session: Session, row: Return) -> ReturnOut:
    s = row.shipment
    carrier = carriers_by_code(session).get(s.carrier)
    return ReturnOut(
        id=row.id,
        shipment_id=s.id,
        order_id=s.order_id,
        order_number=s.order.number,
        recipient=s.address.name or s.address.company,
        carrier=carrier.name if carrier else s.carrier,
        service_name=s.service_name,
        state=row.state,
        in_box=row.in_box,
        reason=row.reason,
        price_minor=row.price_minor,
        charged=row.used_at is not None,
        tracking_number=row.tracking_number,
        asked_by=row.asked_by,
        asked_at=row.asked_at,
        used_at=row.used_at,
        back_at=row.back_at,
        outcome=row.outcome,
        failure=row.failure,
    )


@router.post("/returns", status_code=202)
def ask(body: ReturnIn, who: Care, session: Tx, now: Now) -> ReturnOut:
    """Ask for a label for the way back, to print into the box or to mail to the buyer; charged when first scanned."""
    row = ask_return(session, ReturnRequest(body.shipment_id, body.in_box, body.reason), who.name, now)
    return _return(session, row)


@router.post("/returns/{return_id}/close")
def close(return_id: int, body: CloseReturnIn, who: Care, session: Tx, now: Now) -> ReturnOut:
    """Close a return with what was done about it."""
    return _return(session, close_return(session, return_id, body.outcome, who.name, now))
