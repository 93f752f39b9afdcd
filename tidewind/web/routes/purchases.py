"""Buying labels, and the papers that come of it."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response

from tidewind.services import buying, printing
from tidewind.services.errors import NotFound
from tidewind.services.live import tell
from tidewind.web.access import Anyone, Bench, Now, Shipper, Tx
from tidewind.web.presenting import shipment_out
from tidewind.web.schemas.shop import AskedOut, BatchOut, BuyIn, DroppedOut

router = APIRouter(prefix="/api", tags=["buying"])
Ids = Annotated[list[int], Query(min_length=1, max_length=2000)]


@router.post("/purchases", status_code=202)
def buy(body: BuyIn, who: Shipper, session: Tx, now: Now) -> AskedOut:
    """Buy the labels of these orders at the prices shown; the same ``client_key`` again buys nothing more."""
    wishes = [buying.Wish(wish.order_id, wish.shown_minor) for wish in body.orders]
    asked = buying.ask(session, wishes, body.client_key, who.id, now)
    tell(session, "orders")
    return AskedOut(
        batch_id=asked.batch_id,
        taken=asked.taken,
        dropped=[DroppedOut(order_id=order_id, words=words) for order_id, words in asked.dropped.items()],
    )


@router.get("/batches/{batch_id}")
def batch(batch_id: int, _who: Anyone, session: Tx) -> BatchOut:
    """Return how far a batch has come."""
    shipments = buying.batch_shipments(session, batch_id)
    if not shipments:
        raise NotFound("unknown_batch", "There is no such batch, or nothing in it was bought.")
    states = [s.state for s in shipments]
    return BatchOut(
        id=batch_id,
        buying=states.count("buying"),
        bought=states.count("bought"),
        failed=states.count("failed"),
        total_minor=sum(s.price_minor for s in shipments if s.state == "bought"),
        shipments=[shipment_out(s) for s in shipments],
    )


def _pdf(data: bytes, name: str) -> Response:
    headers = {"Content-Disposition": f'inline; filename="{name}.pdf"', "Cache-Control": "no-store"}
    return Response(data, media_type="application/pdf", headers=headers)


@router.get("/labels.pdf", response_class=Response)
def labels(shipment: Ids, _who: Bench, session: Tx, now: Now) -> Response:
    """Return the labels of bought shipments in one PDF, in the order asked, and mark them printed."""
    data = printing.print_labels(session, shipment, now)
    tell(session, "orders")
    return _pdf(data, "labels")


@router.get("/packing-slips.pdf", response_class=Response)
def slips(shipment: Ids, _who: Bench, session: Tx) -> Response:
    """Return the packing slips of shipments in one PDF, in the order asked."""
    return _pdf(printing.print_slips(session, shipment), "packing-slips")
