"""Pages without a login: health, and the buyer's tracking page."""

from __future__ import annotations

import httpx
from fastapi import APIRouter, Response
from sqlalchemy import select, text
from sqlalchemy.exc import SQLAlchemyError

from tidewind import __version__
from tidewind.db.tables import CarrierRow
from tidewind.services.following import public_view
from tidewind.services.shop_facts import shop_settings
from tidewind.web.access import Parts, Tx, Wiring
from tidewind.web.schemas.orders import EventOut
from tidewind.web.schemas.shop import Health, PartHealth, TrackingOut

router = APIRouter(prefix="/api", tags=["public"])


@router.get("/health")
def health(parts: Parts, response: Response) -> Health:
    """Return the state of the database, the job worker and the stand-ins; 503 where one does not work."""
    found = {"database": _database(parts), "worker": _worker(parts)}
    if parts.settings.standins_url:
        found["stand-ins"] = _standins(parts.settings.standins_url)
    ok = all(part.ok for part in found.values())
    response.status_code = 200 if ok else 503
    return Health(ok=ok, version=__version__, parts=found)


def _database(parts: Wiring) -> PartHealth:
    try:
        with parts.sessions() as session:
            session.execute(text("select 1"))
    except SQLAlchemyError as error:
        return PartHealth(ok=False, detail=f"does not answer ({type(error).__name__})")
    return PartHealth(ok=True, detail="answers")


def _worker(parts: Wiring) -> PartHealth:
    try:
        with parts.sessions() as session:
            alive = session.scalar(
                text("select count(*) from procrastinate_workers where last_heartbeat > now() - interval '30 seconds'")
            )
    except SQLAlchemyError as error:
        return PartHealth(ok=False, detail=f"unknown ({type(error).__name__})")
    return PartHealth(ok=bool(alive), detail=f"{alive} at work" if alive else "no worker has been heard of for 30 s")


def _standins(url: str) -> PartHealth:
    try:
        httpx.get(f"{url}/health", timeout=2).raise_for_status()
    except httpx.HTTPError as error:
        return PartHealth(ok=False, detail=f"do not answer ({type(error).__name__})")
    return PartHealth(ok=True, detail="answer")


@router.get("/tracking/{tracking_key}")
def tracking(tracking_key: str, session: Tx) -> TrackingOut:
    """Return what the buyer may see of a parcel."""
    shipment, events = public_view(session, tracking_key)
    account = session.scalar(select(CarrierRow.name).where(CarrierRow.code == shipment.carrier))
    return TrackingOut(
        shop=shop_settings(session).brand,
        order_number=shipment.order.number,
        carrier=account or shipment.carrier,
        service_name=shipment.service_name,
        state=shipment.tracking_state,
        arrives=shipment.arrives,
        tracking_numbers=[label.tracking_number or "" for label in shipment.labels],
        events=[EventOut.model_validate(e) for e in events],
    )
