"""Opening an order at the bench by its slip, its number or its label, and everything that speaks against packing it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ARRAY, Select, String, any_, bindparam, literal, null, select, union_all
from sqlalchemy.orm import Session

from tidewind.core.scanned import forms_of
from tidewind.core.states.labels import LabelState
from tidewind.core.states.packings import PACKING_MOVES, PackingMove, PackingState
from tidewind.db.engine import ByDriver
from tidewind.db.tables import Bench, Difference, Label, Order, Packing, Person, Product, Shipment
from tidewind.services.base import Conflict, move_row
from tidewind.services.bench.items import fill
from tidewind.services.people import start_work


def find_order(session: Session, code: str) -> int | None:
    """Return the order that a slip, a typed number or a label means; None where nothing has such a number."""
    forms = forms_of(code)
    if not forms:
        return None
    numbered = select(Order.id, Order.state).where(Order.number.in_(forms)).order_by(Order.id.desc())
    if found := session.execute(numbered).all():
        return next((one for one, state in found if state in ("open", "shipped", "part_shipped")), found[0][0])
    return session.scalar(select(Shipment.order_id).join(Label).where(Label.tracking_number.in_(forms)))


@dataclass(frozen=True, slots=True)
class Meaning:
    """What a code stands for: an order by its number or a label's, or else a product, with its shelf."""

    order_id: int | None
    name: str
    shelf: str


def _meanings() -> Select[Any]:
    forms = any_(bindparam("forms", type_=ARRAY(String)))
    number = select(literal(1).label("rank"), Order.id, Order.number, literal("").label("shelf"), Order.id.label("age"))
    label = select(literal(2), Order.id, Order.number, literal(""), Label.id).join_from(Label, Shipment).join(Order)
    product = select(literal(3), null(), Product.name, Product.shelf, Product.id)
    found = union_all(
        number.where(Order.number == forms),
        label.where(Label.tracking_number == forms),
        product.where((Product.barcode == forms) | (Product.sku == forms)),
    ).subquery()
    return select(found).order_by(found.c.rank, found.c.age.desc()).limit(1)


_MEANINGS = ByDriver(_meanings())


def meaning_of(session: Session, forms: Sequence[str]) -> Meaning | None:
    """Return what a code stands for, asked at once: orders before labels, labels before products."""
    row = _MEANINGS.first(session.connection(), {"forms": list(forms)})
    return Meaning(*row[1:4]) if row is not None else None


def live_shipment(session: Session, order_id: int) -> Shipment | None:
    """Return the bought label of an order, None where it has none."""
    return session.scalar(
        select(Shipment)
        .where(Shipment.order_id == order_id, Shipment.state == LabelState.BOUGHT)
        .order_by(Shipment.id.desc())
    )


def open_order(session: Session, bench: Bench, order_id: int, person_id: int, now: datetime) -> tuple[Order, Packing]:
    """Begin to pack an order, or take it up again where it was left.  Raises Conflict with what speaks against it."""
    order = session.scalars(
        select(Order).where(Order.id == order_id).with_for_update(of=Order).execution_options(populate_existing=True)
    ).one()
    shipment = live_shipment(session, order.id)
    may_be_packed(session, order, shipment)
    packings = session.scalars(
        select(Packing).where(Packing.order_id == order.id).order_by(Packing.id.desc()).with_for_update()
    ).all()
    _nobody_else(session, bench, packings)
    packing = next((p for p in packings if p.state == PackingState.LEFT), None)
    mine = next((p for p in packings if p.state in PackingState.HOLDS and p.bench_id == bench.id), None)
    if mine is not None:
        packing = mine
    elif packing is not None:
        move_row(packing, PACKING_MOVES, PackingState, PackingMove.TAKE_UP)
        packing.bench_id, packing.person_id = bench.id, person_id
    else:
        packing = Packing(order_id=order.id, bench_id=bench.id, person_id=person_id, started_at=now, items=[], steps=[])
        session.add(packing)
    packing.shipment_id = shipment.id if shipment else None
    fill(session, packing, order, shipment)
    session.flush()
    start_work(session, [order.id], person_id, True, now)
    bench.packing_id, bench.pieces = packing.id, 1
    return order, packing


def may_be_packed(session: Session, order: Order, shipment: Shipment | None) -> None:
    """Raise Conflict where the order must not be packed now: held, cancelled, changed since, stopped by a snag."""
    waiting = session.scalar(select(Difference).where(Difference.order_id == order.id, Difference.state == "waiting"))
    if waiting is not None:
        what = "was cancelled there" if waiting.kind == "cancelled" else "was changed there"
        raise Conflict("changed", f"{order.number} {what} since it was imported. Somebody must decide first.")
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


def _nobody_else(session: Session, bench: Bench, packings: Sequence[Packing]) -> None:
    for packing in packings:
        if packing.state in PackingState.HOLDS and packing.bench_id != bench.id:
            other = session.get_one(Bench, packing.bench_id)
            raise Conflict("elsewhere", f"It is being packed at {other.name} by {_packer(session, packing)}.")
        if packing.state == PackingState.PACKED and packing.packed_at and _still_goes(session, packing):
            when = f"{packing.packed_at:%-d %B at %H:%M} UTC"
            raise Conflict("packed", f"It was packed already by {_packer(session, packing)}, {when}.")


def _packer(session: Session, packing: Packing) -> str | None:
    return session.scalar(select(Person.name).where(Person.id == packing.person_id))


def _still_goes(session: Session, packing: Packing) -> bool:
    """Tell whether the label that an order was packed with still goes; once it is voided the order is packed anew."""
    state = session.scalar(select(Shipment.state).where(Shipment.id == packing.shipment_id))
    return state in LabelState.TRAVELS
