"""The work list and one order."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query

from tidewind.core.addresses.check import Address
from tidewind.services import orders as service
from tidewind.services.live import tell
from tidewind.web.access import Anyone, Care, Now, Shipper, Tx
from tidewind.web.presenting import order_rows, order_sheet
from tidewind.web.schemas.orders import (
    AddressIn,
    Changed,
    HandIn,
    HeldIn,
    OrderPage,
    OrderRow,
    OrderSheet,
    ProductFactsIn,
)

router = APIRouter(prefix="/api", tags=["orders"])


@router.get("/orders")
def list_orders(
    _who: Anyone,
    session: Tx,
    view: str = "open",
    text: Annotated[str, Query(max_length=120)] = "",
    after: int = 0,
    limit: Annotated[int, Query(ge=1, le=500)] = 500,
) -> OrderPage:
    """Return one page of a view (open, clear, snags, held, shipped, all), after the last id of the page before."""
    page = service.list_orders(session, view, text, after, limit)
    return OrderPage(orders=order_rows(session, page.orders), counts=page.counts, more=page.more)


@router.get("/orders/{order_id}")
def get_order(order_id: int, _who: Anyone, session: Tx, now: Now) -> OrderSheet:
    """Return one order whole, with every service priced or refused."""
    return order_sheet(session, service.get_order(session, order_id), now)


@router.patch("/orders/{order_id}/hand")
def edit_hand(order_id: int, body: HandIn, _who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Set packaging, service, extras or ship date by hand, or take that back with null; the order is planned anew."""
    order = service.edit_hand(session, order_id, body.model_dump(exclude_unset=True), now)
    tell(session, "orders")
    session.flush()
    return order_sheet(session, order, now)


@router.put("/orders/{order_id}/address")
def edit_address(order_id: int, body: AddressIn, _who: Care, session: Tx, now: Now) -> OrderSheet:
    """Correct where an order goes; what was imported stays on record."""
    order = service.edit_address(session, order_id, Address(**body.address.model_dump()), body.home, now)
    tell(session, "orders")
    session.flush()
    return order_sheet(session, order, now)


@router.post("/orders/held")
def set_held(body: HeldIn, who: Care, session: Tx, now: Now) -> list[OrderRow]:
    """Hold orders, or take them back onto the work list."""
    orders = service.set_held(session, body.order_ids, body.held, who.name, now)
    tell(session, "orders")
    session.flush()
    return order_rows(session, orders)


@router.patch("/products/{sku}")
def set_product_facts(sku: str, body: ProductFactsIn, _who: Shipper, session: Tx, now: Now) -> Changed:
    """Say a product's weight or size once, for all orders that contain it."""
    count = service.set_product_facts(session, sku, body.weight_g, body.sides_mm, now)
    tell(session, "orders")
    return Changed(orders=count)


@router.get("/find")
def find(_who: Anyone, session: Tx, text: Annotated[str, Query(max_length=120)]) -> list[OrderRow]:
    """Return the orders that match a number, a name, a town, an item or a tracking number."""
    return order_rows(session, service.find(session, text))
