"""Today, the ribbon, places and packaging."""

from __future__ import annotations

from fastapi import APIRouter
from sqlalchemy import func, select

from tidewind.core.addresses.check import Address
from tidewind.db.tables import Order
from tidewind.services import departures, money, setup, threats
from tidewind.services.live import tell
from tidewind.web.access import Anyone, Now, Owner, Tx
from tidewind.web.schemas.orders import AddressIO
from tidewind.web.schemas.shop import (
    DepartureOut,
    PackagingIO,
    PlaceIO,
    SnagGroupOut,
    TodayOut,
)

router = APIRouter(prefix="/api", tags=["shop"])


@router.get("/today")
def today(_who: Anyone, session: Tx, now: Now) -> TodayOut:
    """Return what must leave today and what threatens it."""
    states = departures.todays_departures(session, now)
    balance = money.balance(session)
    return TodayOut(
        now=now,
        open_orders=session.scalar(select(func.count(Order.id)).where(Order.state == "open")) or 0,
        departures=[DepartureOut.model_validate(s) for s in states],
        snags=[SnagGroupOut.model_validate(g) for g in departures.snag_groups(session)],
        available_minor=balance.available_minor,
        low_balance=threats.low_balance(session, balance.available_minor, sum(s.to_buy_minor for s in states)),
        **threats.counts(session, now),
    )


@router.get("/places")
def places(_who: Anyone, session: Tx) -> list[PlaceIO]:
    """Return the places that parcels leave from."""
    return [
        PlaceIO(id=p.id, name=p.name, address=AddressIO(**p.address), pickup_spot=p.pickup_spot,
                opening_hours=p.opening_hours, is_default=p.is_default)
        for p in setup.places(session)
    ]  # fmt: skip


@router.post("/places")
def save_place(body: PlaceIO, _who: Owner, session: Tx) -> PlaceIO:
    """Add a place, or change the one with this id."""
    row = setup.save_place(
        session, body.id, body.name, Address(**body.address.model_dump()), body.pickup_spot, body.opening_hours,
        body.is_default,
    )  # fmt: skip
    return body.model_copy(update={"id": row.id, "is_default": row.is_default})


@router.get("/packaging")
def packaging(_who: Anyone, session: Tx) -> list[PackagingIO]:
    """Return all packaging, own and the carriers'."""
    return [PackagingIO.model_validate(p) for p in setup.packagings(session)]


@router.post("/packaging")
def save_packaging(body: PackagingIO, _who: Owner, session: Tx, now: Now) -> PackagingIO:
    """Add packaging, or change the one with this id; waiting orders are planned anew."""
    row = setup.save_packaging(session, body.id, body.model_dump(exclude={"id"}), now)
    tell(session, "orders")
    return PackagingIO.model_validate(row)
