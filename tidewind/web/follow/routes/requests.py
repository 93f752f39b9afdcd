"""Labels that colleagues ask for: the public form, and the shipper's list."""

from __future__ import annotations

from fastapi import APIRouter, Request
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.stored import write_address
from tidewind.db.tables import LabelRequest, Order, RequestLink
from tidewind.services import follow as service
from tidewind.services.follow import (
    TypedRequest,
    approve_request,
    ask_for_label,
    decline_request,
    label_of_request,
    link_by_key,
    request_by_view_key,
    request_links,
    waiting_requests,
)
from tidewind.services.planning import default_place, shop_settings
from tidewind.web.access import Now, Owner, Shipper, Tx
from tidewind.web.base.schemas import AddressIO
from tidewind.web.follow.schemas import (
    ApprovedOut,
    ApproveIn,
    DeclineIn,
    FormOut,
    LinkActiveIn,
    LinkIn,
    LinkOut,
    RequestIn,
    RequestMade,
    RequestOut,
    RequestSeen,
)

router = APIRouter(prefix="/api", tags=["requests"])


@router.get("/request-form/{key}")
def form(key: str, session: Tx) -> FormOut:
    """Return what the form behind a link needs; no login."""
    link, shop = link_by_key(session, key), shop_settings(session)
    return FormOut(
        shop=shop.brand,
        name=link.name,
        cost_codes=link.cost_codes,
        place=AddressIO.model_validate(default_place(session).address),
        currency=shop.currency,
        units="imperial" if shop.units == "imperial" else "metric",
    )


@router.post("/request-form/{key}", status_code=201)
def ask(key: str, body: RequestIn, request: Request, session: Tx, now: Now) -> RequestMade:
    """Ask for a label; the same ``client_key`` again is the same wish. No login, limited by the hour."""
    typed = TypedRequest(
        asked_by=body.asked_by,
        address=Address(**body.address.model_dump()),
        what=body.what,
        gross_g=body.gross_g,
        sides_mm=body.sides_mm,
        sticker_mail=body.sticker_mail,
        waiter_mail=body.waiter_mail,
        why=body.why,
        cost_code=body.cost_code,
        value_minor=body.value_minor,
        sender=Address(**body.sender.model_dump()) if body.sender else None,
    )
    source = request.client.host if request.client else ""
    row = ask_for_label(session, key, typed, body.client_key, source, now)
    return RequestMade(path=f"/asked/{row.view_key}")


@router.get("/asked/{view_key}")
def seen(view_key: str, session: Tx) -> RequestSeen:
    """Return what became of a request, by the address its asker was given; no login."""
    row = request_by_view_key(session, view_key)
    shipment = label_of_request(session, row)
    return RequestSeen(
        shop=shop_settings(session).brand,
        state=row.state,
        what=row.what,
        to=f"{row.address.name or row.address.company}, {row.address.city}",
        words=row.words,
        decided_by=row.decided_by,
        tracking_path=f"/t/{shipment.tracking_key}" if shipment else "",
    )


@router.get("/request-links")
def links(_who: Shipper, session: Tx) -> list[LinkOut]:
    """Return the links to the form."""
    return [_link(row) for row in request_links(session)]


def _link(row: RequestLink) -> LinkOut:
    return LinkOut(id=row.id, name=row.name, cost_codes=row.cost_codes, active=row.active, path=f"/ask/{row.key}")


@router.post("/request-links", status_code=201)
def make_link(body: LinkIn, _who: Owner, session: Tx) -> LinkOut:
    """Make a link; whoever has it may ask for labels."""
    return _link(service.make_link(session, body.name, body.cost_codes))


@router.patch("/request-links/{link_id}")
def set_link(link_id: int, body: LinkActiveIn, _who: Owner, session: Tx) -> LinkOut:
    """Switch a link off or on."""
    return _link(service.set_link(session, link_id, body.active))


@router.get("/requests")
def all_requests(_who: Shipper, session: Tx) -> list[RequestOut]:
    """Return the requests, the undecided first."""
    return [_request(session, row) for row in waiting_requests(session)]


def _request(session: Session, row: LabelRequest) -> RequestOut:
    order = session.get(Order, row.order_id) if row.order_id else None
    return RequestOut(
        id=row.id,
        link=row.link.name,
        state=row.state,
        asked_by=row.asked_by,
        why=row.why,
        cost_code=row.cost_code,
        sender=write_address(row.sender),
        address=write_address(row.address),
        what=row.what,
        gross_g=row.gross_g,
        sides_mm=row.sides_mm,
        value_minor=row.value_minor,
        sticker_mail=row.sticker_mail,
        waiter_mail=row.waiter_mail,
        order_id=row.order_id,
        order_number=order.number if order else "",
        price_minor=order.price_minor if order else None,
        decided_by=row.decided_by,
        words=row.words,
        created_at=row.created_at,
    )


@router.post("/requests/{request_id}/approve")
def approve(request_id: int, body: ApproveIn, who: Shipper, session: Tx, now: Now) -> ApprovedOut:
    """Make a shipment of a request, changed where asked; it is bought like any other."""
    order = approve_request(session, request_id, body.gross_g, body.service, who.name, now)
    return ApprovedOut(order_id=order.id, order_number=order.number)


@router.post("/requests/{request_id}/decline")
def decline(request_id: int, body: DeclineIn, who: Shipper, session: Tx, now: Now) -> RequestOut:
    """Decline a request with a reason, which the asker reads."""
    return _request(session, decline_request(session, request_id, body.words, who.name, now))
