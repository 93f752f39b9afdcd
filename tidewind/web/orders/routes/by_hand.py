"""Shipments typed by hand, and plans tried without storing anything."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Header

from tidewind.core.addresses.check import Address
from tidewind.core.parcels import parcels_text
from tidewind.core.stored import read_hand
from tidewind.services import orders as service
from tidewind.services.orders import HAND_CHANNEL, TypedLine, TypedOrder
from tidewind.services.planning import read_or_refuse, stored_parcel
from tidewind.web.access import Anyone, Now, Shipper, Tx
from tidewind.web.orders.presenting import order_sheet
from tidewind.web.orders.schemas.order import OrderSheet, ParcelOut, SnagOut, TrailStep, TrialIn, TrialOut, TypedOrderIn

router = APIRouter(prefix="/api", tags=["orders"])


def _typed(body: TypedOrderIn, channel: str = HAND_CHANNEL) -> TypedOrder:
    given = body.model_dump(exclude={"address", "lines", "hand"})
    given["hand"] = read_hand(body.hand.model_dump(exclude_none=True))
    lines = [TypedLine(**line.model_dump()) for line in body.lines]
    return TypedOrder(address=Address(**body.address.model_dump()), lines=lines, channel=channel, **given)


@router.post("/orders", status_code=201)
def create_order(
    body: TypedOrderIn,
    who: Shipper,
    session: Tx,
    now: Now,
    idempotency_key: Annotated[str, Header(max_length=200, description="The same one again gives the same order")] = "",
) -> OrderSheet:
    """Make a one-off shipment; what is missing shows as snags, so it can be taken up again later."""
    order = service.create_order(session, _typed(body), now, idempotency_key)
    session.flush()
    return order_sheet(session, order, now, who)


@router.post("/plans/try")
def try_plan(body: TrialIn, _who: Anyone, session: Tx, now: Now) -> TrialOut:
    """Plan an order that is only described, with the rules in force or others; nothing is stored.

    Line ids in the parcels are the numbers of the lines, from 1.
    """
    rules = None if body.rules is None else read_or_refuse(body.rules)
    made = service.try_plan(session, _typed(body.order, body.channel), rules, now)
    chosen = None if made.stopped else made.chosen
    return TrialOut(
        stopped=made.stopped,
        service=chosen.service if chosen else None,
        service_name=chosen.name if chosen else None,
        price_minor=chosen.quote.net if chosen and chosen.quote else None,
        ship_date=chosen.arrival.ship_date if chosen and chosen.arrival else None,
        arrives=chosen.arrival.latest if chosen and chosen.arrival else None,
        packaging=parcels_text(made.parcels) if made.parcels else "",
        parcels=[ParcelOut.model_validate(stored_parcel(p)) for p in made.parcels],
        extras=sorted(made.extras),
        value_minor=made.value,
        desk=made.desk,
        tags=sorted(made.tags),
        hold=made.hold,
        leave_out=made.leave_out,
        rules=list(made.rules),
        snags=[SnagOut.model_validate(s) for s in made.snags],
        trail={
            name: [TrailStep(layer=s.layer, value=s.value, why=s.why) for s in steps]
            for name, steps in made.trail.items()
        },
    )
