"""Opening an order at the bench by its slip, its number or its label, and everything that speaks against packing it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.states.labels import LabelState
from tidewind.core.states.packings import PACKING_MOVES, PackingMove, PackingState
from tidewind.db.bulk import Columns
from tidewind.db.tables import Bench, Order, Packing, Person, Shipment, Shop
from tidewind.services.base import Conflict, move_row
from tidewind.services.bench.items import fill
from tidewind.services.bench.to_pack import ToPack, next_packing_id, read_to_pack
from tidewind.services.people import start_work


def open_order(session: Session, bench: Bench, order_id: int, person_id: int, now: datetime) -> tuple[Order, Packing]:
    """Begin to pack an order, or take it up again where it was left.  Raises Conflict with what speaks against it.

    Bench and packing are written with the scan.
    """
    found = read_to_pack(session, order_id)
    may_be_packed(found)
    _not_gone(session, found)
    _nobody_else(session, bench, found.packings)
    packing = _taken_up(bench, found.packings, person_id)
    if packing is None:
        packing = _begun(next_packing_id(session), order_id, bench, person_id, now)
    packing.shipment_id = found.shipment.id if found.shipment else None
    fill(session, packing, found.order, found.shipment, found.products)
    start_work(session, [order_id], person_id, True, now)
    bench.packing_id, bench.pieces = packing.id, 1
    return found.order, packing


def _begun(packing_id: int, order_id: int, bench: Bench, person_id: int, now: datetime) -> Packing:
    """Return a new packing with all its columns: the mapper, which knows what is usual, does not write it."""
    nothing: Columns = {"items": [], "steps": [], "weights_g": [], "mistakes": 0, "words": ""}
    begins = {"started_at": now, "state": PackingState.OPEN.value, "bought_here": False, "prints": True, "aside": False}
    return Packing(id=packing_id, order_id=order_id, bench_id=bench.id, person_id=person_id, **begins, **nothing)


def _taken_up(bench: Bench, packings: Sequence[Packing], person_id: int) -> Packing | None:
    """Return the packing of an order that is open at this bench, or was left and is taken up here."""
    mine = next((p for p in packings if p.state in PackingState.HOLDS and p.bench_id == bench.id), None)
    left = next((p for p in packings if p.state == PackingState.LEFT), None)
    if mine is None and left is not None:
        move_row(left, PACKING_MOVES, PackingState, PackingMove.TAKE_UP)
        left.bench_id, left.person_id, left.aside = bench.id, person_id, False
    return mine or left


def may_be_packed(found: ToPack) -> None:
    """Raise Conflict where an order must not be packed now: held, cancelled, changed since, stopped by a snag."""
    order, shipment = found.order, found.shipment
    if found.waiting is not None and found.waiting.stops:
        raise Conflict("changed", f"{order.number}: {found.waiting.words}. Somebody must decide first.")
    if order.state == "shipped" and shipment is not None:
        return
    if order.state == "shipped":
        raise Conflict("no_label", f"{order.number} is shipped already, and not by a label that is here.")
    if order.state != "open":
        why = f": {order.state_why}" if order.state_why else ""
        raise Conflict(order.state, f"{order.number} is {order.state.replace('_', ' ')}{why}. Put it back.")
    stops = [snag.words for snag in order.snags if snag.level == "stops"]
    if stops:
        raise Conflict("snag", f"{order.number} cannot go yet: {stops[0]}")
    if order.batch_id is not None and shipment is None and order.price_minor is None:
        raise Conflict("no_price", f"{order.number} has no price yet.")


def _not_gone(session: Session, found: ToPack) -> None:
    """Raise Conflict for a parcel that its carrier has: it is no work any more, whatever was scanned before it went."""
    shipment = found.shipment
    if shipment is None:
        return
    went = [label.handed_over_at or label.tracking_since for label in shipment.labels]
    since = min((at for at in went if at is not None), default=None)
    handed = all(label.handed_over_at for label in shipment.labels) and bool(shipment.labels)
    if shipment.tracking_state == "announced" and not handed:
        return
    when = f" since {_local(session, since)}" if since else ""
    how = {"delivered": "was delivered", "returned": "came back", "returning": "is on its way back"}
    words = how.get(shipment.tracking_state, "is with the carrier already")
    raise Conflict("with_carrier", f"{found.order.number} {words}{when}.")


def _nobody_else(session: Session, bench: Bench, packings: Sequence[Packing]) -> None:
    for packing in packings:
        if packing.state in PackingState.HOLDS and packing.bench_id != bench.id:
            other = session.get_one(Bench, packing.bench_id)
            if packing.aside:
                raise Conflict("elsewhere", f"It is packed and waits at {other.name} for its label.")
            raise Conflict("elsewhere", f"It is being packed at {other.name} by {_packer(session, packing)}.")
        if packing.state == PackingState.PACKED and packing.packed_at and _still_goes(session, packing):
            when = _local(session, packing.packed_at)
            raise Conflict("packed", f"It was packed already by {_packer(session, packing)}, {when}.")


def _local(session: Session, moment: datetime) -> str:
    return f"{moment.astimezone(ZoneInfo(session.get_one(Shop, 1).time_zone)):%-d %B, %H:%M}"


def _packer(session: Session, packing: Packing) -> str | None:
    return session.scalar(select(Person.name).where(Person.id == packing.person_id))


def _still_goes(session: Session, packing: Packing) -> bool:
    """Tell whether the label that an order was packed with still goes; once it is voided the order is packed anew."""
    state = session.scalar(select(Shipment.state).where(Shipment.id == packing.shipment_id))
    return state in LabelState.TRAVELS
