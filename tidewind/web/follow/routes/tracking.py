"""The buyer's tracking page."""

from __future__ import annotations

from fastapi import APIRouter

from tidewind.services.follow import public_view
from tidewind.services.planning import shop_settings
from tidewind.services.shop import carrier_name
from tidewind.web.access import Tx
from tidewind.web.follow.schemas import TrackingOut
from tidewind.web.orders.schemas.order import EventOut

router = APIRouter(prefix="/api", tags=["public"])


@router.get("/tracking/{tracking_key}")
def tracking(tracking_key: str, session: Tx) -> TrackingOut:
    """Return what the buyer may see of a parcel."""
    shipment, events = public_view(session, tracking_key)
    return TrackingOut(
        shop=shop_settings(session).brand,
        order_number=shipment.order.number,
        carrier=carrier_name(session, shipment.carrier),
        service_name=shipment.service_name,
        state=shipment.tracking_state,
        arrives=shipment.arrives,
        tracking_numbers=[label.tracking_number or "" for label in shipment.labels],
        events=[EventOut.model_validate(e) for e in events],
    )
