"""Labels for the way back: ask, see, close."""

from __future__ import annotations

from fastapi import APIRouter, Response
from sqlalchemy.orm import Session

from tidewind.core.returning import ReturnRules
from tidewind.db.tables import Return
from tidewind.services import follow as service
from tidewind.services.follow import (
    ReturnDone,
    ReturnRequest,
    ask_again,
    ask_return,
    close_return,
    photo_of_return,
    receive_return,
    return_rules,
    set_return_rules,
)
from tidewind.services.shop import carriers_by_code
from tidewind.web.access import Anyone, Bench, Care, Now, Owner, Parts, Tx
from tidewind.web.files import answers_with
from tidewind.web.follow.schemas import (
    CloseReturnIn,
    ReceiveIn,
    ReturnedItem,
    ReturnIn,
    ReturnOut,
    ReturnRulesIn,
    ReturnRulesOut,
)

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
        items=[ReturnedItem.model_validate(item) for item in row.items],
        words=row.words,
        buyer_pays=row.buyer_pays,
        has_photo=service.has_photo(session, row.id),
    )


@router.get("/returns/rules")
def rules(_who: Anyone, session: Tx) -> ReturnRulesOut:
    """Return by which rules buyers start returns on the page of their parcel."""
    return _rules(return_rules(session))


@router.put("/returns/rules")
def set_rules(body: ReturnRulesIn, _who: Owner, session: Tx) -> ReturnRulesOut:
    """Keep other rules; they hold for what is asked from now on."""
    wanted = ReturnRules(body.on, body.days, body.buyer_pays, frozenset(body.not_tags))
    return _rules(set_return_rules(session, wanted))


def _rules(kept: ReturnRules) -> ReturnRulesOut:
    return ReturnRulesOut(on=kept.on, days=kept.days, buyer_pays=kept.buyer_pays, not_tags=sorted(kept.not_tags))


@router.get("/returns/{return_id}/photo.jpg", **answers_with("image/jpeg"))
def photo(return_id: int, _who: Anyone, session: Tx) -> Response:
    """Return the picture that a buyer sent with a return."""
    return Response(photo_of_return(session, return_id), media_type="image/jpeg")


@router.post("/returns/receive")
def receive(body: ReceiveIn, who: Bench, session: Tx, now: Now) -> ReturnOut:
    """Take in what came back, by the number on its label."""
    return _return(session, receive_return(session, body.number, who.name, now))


@router.post("/returns", status_code=202)
def ask(body: ReturnIn, who: Care, session: Tx, now: Now) -> ReturnOut:
    """Ask for a label for the way back, to print into the box or to mail to the buyer; charged when first scanned."""
    row = ask_return(session, ReturnRequest(body.shipment_id, body.in_box, body.reason), who.name, now)
    return _return(session, row)


@router.post("/returns/{return_id}/again", status_code=202)
def again(return_id: int, who: Care, session: Tx, now: Now) -> ReturnOut:
    """Ask once more for a label that its carrier would not make."""
    return _return(session, ask_again(session, return_id, who.name, now))


@router.post("/returns/{return_id}/close")
def close(return_id: int, body: CloseReturnIn, who: Care, session: Tx, parts: Parts, now: Now) -> ReturnOut:
    """Close a return with what was done about it."""
    done = ReturnDone(body.outcome, body.condition, body.restock)
    return _return(session, close_return(session, return_id, done, who.name, parts.outside.base_url, now))
