"""The work list and one order."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response

from tidewind.core.addresses.check import Address
from tidewind.core.customs.codes import plain_code
from tidewind.services import orders as service
from tidewind.services import shop as shop_room
from tidewind.services.orders import WorkFilter, filter_choices, find_orders, saved_views
from tidewind.web.access import Anyone, Care, Now, Parts, Shipper, Tx
from tidewind.web.base.schemas import Changed
from tidewind.web.orders.presenting import order_page, order_rows, order_sheet
from tidewind.web.orders.schemas.order import (
    AddressIn,
    HandEditIn,
    HeldIn,
    OrderPage,
    OrderRow,
    OrderSheet,
    Picked,
    PickedOrder,
    ProductFactsIn,
    SenderIn,
    WorthIn,
    WorthSaid,
)
from tidewind.web.orders.schemas.work_list import AnnotateIn, AsksIn, BulkHandIn, ListIn, SavedViewIn, SavedViewOut

router = APIRouter(prefix="/api", tags=["orders"])


@router.get("/orders", response_model=OrderPage)
def list_orders(who: Anyone, session: Tx, now: Now, parts: Parts, wanted: Annotated[ListIn, Query()]) -> Response:
    """Return one page of the work list, after the key of the page before.

    ``view`` is one of open, clear, snags, held, shipped, all; ``sort`` one of departure, age, number, promise, arrives,
    ship_date, price, recipient, country, service, snags, shipped.
    """
    asks = WorkFilter(**wanted.model_dump(exclude={"after", "limit"}))
    after, limit = wanted.after, wanted.limit
    page = parts.shared.answer_to(("orders", asks, after, limit), lambda: order_page(session, asks, after, limit, now))
    return Response(page.seen_by(who.id), media_type="application/json")


@router.get("/orders/picked")
def pick_orders(who: Anyone, session: Tx, now: Now, wanted: Annotated[AsksIn, Query()]) -> Picked:
    """Return everything that is asked for, as it is selected: all in one answer, without what only a list shows."""
    orders, matching = service.pick_orders(session, WorkFilter(**wanted.model_dump()), now, who.id)
    newest = service.newest_change(session)
    picked = [PickedOrder.model_validate(order) for order in orders]
    return Picked(orders=picked, matching=matching, newest_change=newest)


@router.get("/orders/filters")
def filters(_who: Anyone, session: Tx) -> dict[str, list[str]]:
    """Return what the waiting orders can be filtered by."""
    return filter_choices(session)


@router.get("/views")
def views(who: Anyone, session: Tx) -> list[SavedViewOut]:
    """Return one's own saved views."""
    return [SavedViewOut.model_validate(v) for v in saved_views(session, who.id)]


@router.post("/views")
def save_view(body: SavedViewIn, who: Anyone, session: Tx) -> SavedViewOut:
    """Save what the work list is asked for under a name; the same name replaces it."""
    kept = body.asks.model_dump(exclude_defaults=True)
    return SavedViewOut.model_validate(service.save_view(session, who.id, body.name, kept))


@router.delete("/views/{view_id}", status_code=204)
def remove_view(view_id: int, who: Anyone, session: Tx) -> None:
    """Remove one of one's own views."""
    service.remove_view(session, who.id, view_id)


@router.get("/orders/{order_id}")
def get_order(order_id: int, who: Anyone, session: Tx, now: Now) -> OrderSheet:
    """Return one order whole; its services with their prices are asked for at `/compare`."""
    return order_sheet(session, service.get_order(session, order_id), now, who)


@router.patch("/orders/{order_id}/hand")
def edit_hand(order_id: int, body: HandEditIn, who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Set packaging, service, extras, ship date, desk, split or parcels by hand, or take that back with null.

    What somebody else has set since ``seen`` is a 409.
    """
    changes = body.model_dump(exclude_unset=True, exclude={"seen"})
    order = service.edit_hand(session, [order_id], changes, who.name, now, body.seen)[0]
    session.flush()
    return order_sheet(session, order, now, who)


@router.put("/orders/{order_id}/worth")
def say_worth(order_id: int, body: WorthIn, who: Shipper, session: Tx, now: Now) -> WorthSaid:
    """Say what goods that are priced in another currency are worth in the shop's; limits, cover and rules go by it."""
    known, left = service.say_worth(session, order_id, body.worth_minor, body.also, who.name, now)
    return WorthSaid(known=[order.id for order in known], left=[order.id for order in left])


@router.post("/orders/hand")
def edit_many(body: BulkHandIn, who: Shipper, session: Tx, now: Now) -> list[OrderRow]:
    """Set the same things by hand for many orders; each is planned anew.

    What somebody else has set of them since ``seen`` is a 409, and nothing is changed.
    """
    changes = body.set.model_dump(exclude_unset=True)
    orders = service.edit_hand(session, body.order_ids, changes, who.name, now, body.seen)
    session.flush()
    return order_rows(session, orders, now, who.id)


@router.post("/orders/notes")
def annotate(body: AnnotateIn, who: Care, session: Tx, now: Now) -> list[OrderRow]:
    """Add or remove tags, or write a note for colleagues, on one order or many."""
    orders = service.annotate(session, body.order_ids, body.add_tags, body.remove_tags, body.comment, now)
    session.flush()
    return order_rows(session, orders, now, who.id)


@router.put("/orders/{order_id}/address")
def edit_address(order_id: int, body: AddressIn, who: Care, session: Tx, now: Now) -> OrderSheet:
    """Correct where an order goes; what was imported stays on record.  Somebody else's change meanwhile is a 409."""
    seen = Address(**body.seen.model_dump()) if body.seen else None
    order = service.edit_address(
        session, order_id, Address(**body.address.model_dump()), body.home, who.name, now, seen
    )
    session.flush()
    return order_sheet(session, order, now, who)


@router.put("/orders/{order_id}/sender")
def set_sender(order_id: int, body: SenderIn, who: Shipper, session: Tx, now: Now) -> OrderSheet:
    """Say who this order alone is sent by; saved places stay as they are."""
    sender = Address(**body.sender.model_dump()) if body.sender else None
    order = service.set_sender(session, order_id, sender, who.name, now)
    session.flush()
    return order_sheet(session, order, now, who)


@router.post("/orders/held")
def set_held(body: HeldIn, who: Care, session: Tx, now: Now) -> list[OrderRow]:
    """Hold orders, or take them back onto the work list."""
    orders = service.set_held(session, body.order_ids, body.held, who.name, now)
    session.flush()
    return order_rows(session, orders, now, who.id)


@router.patch("/products/{sku}/facts")
def set_product_facts(sku: str, body: ProductFactsIn, _who: Shipper, session: Tx, now: Now) -> Changed:
    """Say a product's weight, size or customs description once, for all orders that contain it."""
    code = None if body.hs_code is None else plain_code(body.hs_code)
    facts = {"weight_g": body.weight_g, "customs_text": body.customs_text, "hs_code": code, "origin": body.origin}
    count = shop_room.set_product_facts(session, sku, facts, body.sides_mm, now)
    return Changed(orders=count)


@router.get("/find")
def find(who: Anyone, session: Tx, now: Now, text: Annotated[str, Query(max_length=120)]) -> list[OrderRow]:
    """Return the orders that match a number, a name, a town, an item or a tracking number."""
    return order_rows(session, find_orders(session, text), now, who.id)
