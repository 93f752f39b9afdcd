"""Places and packaging."""

from __future__ import annotations

from fastapi import APIRouter

from tidewind.core.addresses.check import Address
from tidewind.core.pickups.points import spot_text
from tidewind.services import shop as service
from tidewind.services.shop import (
    all_packaging,
    all_places,
    in_stock,
    order_packaging,
    packaging_arrived,
    packaging_orders,
    set_stock,
)
from tidewind.web.access import Anyone, Bench, Now, Owner, Shipper, Tx
from tidewind.web.base.schemas import AddressIO, CountOut
from tidewind.web.shop.schemas.places import (
    InStockOut,
    PackagingIO,
    PackagingOrderIn,
    PackagingOrderOut,
    PlaceIO,
    StockIn,
)

router = APIRouter(prefix="/api", tags=["shop"])


@router.get("/places")
def places(_who: Anyone, session: Tx) -> list[PlaceIO]:
    """Return the places that parcels leave from."""
    return [
        PlaceIO(
            id=p.id,
            name=p.name,
            address=AddressIO.model_validate(p.address),
            pickup_spot=p.pickup_spot,
            opening_hours=p.opening_hours,
            on_earth=spot_text(p.on_earth),
            is_default=p.is_default,
        )
        for p in all_places(session)
    ]


@router.post("/places")
def save_place(body: PlaceIO, _who: Owner, session: Tx) -> PlaceIO:
    """Add a place, or change the one with this id."""
    row = service.save_place(
        session,
        body.id,
        body.name,
        Address(**body.address.model_dump()),
        body.pickup_spot,
        body.opening_hours,
        body.is_default,
        body.on_earth,
    )
    return body.model_copy(update={"id": row.id, "is_default": row.is_default})


@router.get("/packaging")
def packaging(_who: Anyone, session: Tx) -> list[PackagingIO]:
    """Return all packaging, own and the carriers'."""
    return [PackagingIO.model_validate(p) for p in all_packaging(session)]


@router.get("/packaging/stock")
def stock(_who: Anyone, session: Tx, now: Now) -> list[InStockOut]:
    """Return the packaging whose pieces are counted, what runs out first at the top."""
    return [InStockOut.model_validate(one) for one in in_stock(session, now)]


@router.put("/packaging/{packaging_id}/stock")
def count_stock(packaging_id: int, body: StockIn, _who: Bench, session: Tx) -> CountOut:
    """Say how many pieces of a packaging there are, and from when on that is few."""
    set_stock(session, packaging_id, body.stock, body.low_at)
    return CountOut(count=body.stock or 0)


@router.post("/packaging")
def save_packaging(body: PackagingIO, _who: Owner, session: Tx, now: Now) -> PackagingIO:
    """Add packaging, or change the one with this id; waiting orders are planned anew."""
    row = service.save_packaging(session, body.id, body.model_dump(exclude={"id"}), now)
    return PackagingIO.model_validate(row)


@router.get("/packaging/orders")
def orders_of_packaging(_who: Anyone, session: Tx) -> list[PackagingOrderOut]:
    """Return what carriers' packaging was ordered lately, the newest first."""
    return [PackagingOrderOut.model_validate(row) for row in packaging_orders(session)]


@router.post("/packaging/orders")
def order(body: PackagingOrderIn, who: Shipper, session: Tx, now: Now) -> PackagingOrderOut:
    """Order a carrier's own packaging from it."""
    row = order_packaging(session, body.carrier, body.pieces, body.client_key, who.name, now)
    return PackagingOrderOut.model_validate(row)


@router.post("/packaging/orders/{order_id}/arrived")
def arrived(order_id: int, _who: Bench, session: Tx) -> PackagingOrderOut:
    """Count what has come into the stock."""
    return PackagingOrderOut.model_validate(packaging_arrived(session, order_id))
