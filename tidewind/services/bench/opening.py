"""Opening an order at the bench by its slip, its number or its label, and everything that speaks against packing it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Select,
    String,
    bindparam,
    func,
    literal,
    null,
    or_,
    select,
    union_all,
)
from sqlalchemy.orm import Session

from tidewind.core.scanned import forms_of
from tidewind.core.states.labels import LabelState
from tidewind.core.states.packings import PACKING_MOVES, PackingMove, PackingState
from tidewind.db.engine import ByDriver
from tidewind.db.tables import Bench, Label, Order, Packing, Person, Product, Shipment
from tidewind.services.base import Conflict, move_row
from tidewind.services.bench.items import fill
from tidewind.services.bench.to_pack import ToPack, next_packing_id, read_to_pack
from tidewind.services.people import start_work

_MOST_FORMS = 4


def _is_one(column: Any) -> ColumnElement[bool]:
    """Return the condition that a column has one of the forms of a code.

    One by one: a statement with an array, whose length the server cannot know, is planned by it anew each time.
    """
    return or_(*(column == bindparam(f"form_{n}", type_=String) for n in range(_MOST_FORMS)))


def _forms(forms: Sequence[str]) -> dict[str, str]:
    none = "\x01\x02\x03\x04"  # no form has a sign that is not printable; the same one twice would be planned anew, too
    return {f"form_{n}": forms[n] if n < len(forms) else none[n] for n in range(_MOST_FORMS)}


def _found() -> Select[Any]:
    goes = or_(*(Order.state == state for state in ("open", "shipped", "part_shipped")))
    numbered = select(Order.id).where(_is_one(Order.number)).order_by(goes.desc(), Order.id.desc()).limit(1)
    labelled = select(Shipment.order_id).join(Label).where(_is_one(Label.tracking_number)).limit(1)
    return select(func.coalesce(numbered.scalar_subquery(), labelled.scalar_subquery()))


_FOUND = ByDriver(_found())


def find_order(session: Session, code: str) -> int | None:
    """Return the order that a slip, a typed number or a label means; None where nothing has such a number.

    Of several of one number one that still goes, or has gone, and of those the newest.
    """
    row = _FOUND.first(session.connection(), _forms(forms_of(code)))
    return row[0] if row else None


@dataclass(frozen=True, slots=True)
class Meaning:
    """What a code stands for: an order by its number or a label's, or else a product, with its shelf."""

    order_id: int | None
    name: str
    shelf: str


def _meanings() -> Select[Any]:
    number = select(literal(1).label("rank"), Order.id, Order.number, literal("").label("shelf"), Order.id.label("age"))
    label = select(literal(2), Order.id, Order.number, literal(""), Label.id).join_from(Label, Shipment).join(Order)
    product = select(literal(3), null(), Product.name, Product.shelf, Product.id)
    found = union_all(
        number.where(_is_one(Order.number)),
        label.where(_is_one(Label.tracking_number)),
        product.where(_is_one(Product.barcode) | _is_one(Product.sku)),
    ).subquery()
    return select(found).order_by(found.c.rank, found.c.age.desc()).limit(1)


_MEANINGS = ByDriver(_meanings())


def meaning_of(session: Session, forms: Sequence[str]) -> Meaning | None:
    """Return what a code stands for, asked at once: orders before labels, labels before products."""
    row = _MEANINGS.first(session.connection(), _forms(forms))
    return Meaning(*row[1:4]) if row is not None else None


def open_order(session: Session, bench: Bench, order_id: int, person_id: int, now: datetime) -> tuple[Order, Packing]:
    """Begin to pack an order, or take it up again where it was left.  Raises Conflict with what speaks against it.

    Bench and packing are written with the scan.
    """
    found = read_to_pack(session, order_id)
    may_be_packed(found)
    _nobody_else(session, bench, found.packings)
    packing = _taken_up(bench, found.packings, person_id)
    if packing is None:
        packing = Packing(
            id=next_packing_id(session), order_id=order_id, bench_id=bench.id, person_id=person_id, started_at=now,
            state=PackingState.OPEN.value, bought_here=False, prints=True, weights_g=[], mistakes=0, words="",
            items=[], steps=[],
        )  # fmt: skip
    packing.shipment_id = found.shipment.id if found.shipment else None
    fill(session, packing, found.order, found.shipment, found.products)
    start_work(session, [order_id], person_id, True, now)
    bench.packing_id, bench.pieces = packing.id, 1
    return found.order, packing


def _taken_up(bench: Bench, packings: Sequence[Packing], person_id: int) -> Packing | None:
    """Return the packing of an order that is open at this bench, or was left and is taken up here."""
    mine = next((p for p in packings if p.state in PackingState.HOLDS and p.bench_id == bench.id), None)
    left = next((p for p in packings if p.state == PackingState.LEFT), None)
    if mine is None and left is not None:
        move_row(left, PACKING_MOVES, PackingState, PackingMove.TAKE_UP)
        left.bench_id, left.person_id = bench.id, person_id
    return mine or left


def may_be_packed(found: ToPack) -> None:
    """Raise Conflict where an order must not be packed now: held, cancelled, changed since, stopped by a snag."""
    order, shipment = found.order, found.shipment
    if found.waiting is not None:
        what = "was cancelled there" if found.waiting == "cancelled" else "was changed there"
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
