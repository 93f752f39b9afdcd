"""What a scanned code stands for: an order by its slip, its number or a label's, or else a product."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import (
    BigInteger,
    ColumnElement,
    Select,
    String,
    bindparam,
    case,
    func,
    literal,
    null,
    or_,
    select,
    union_all,
)
from sqlalchemy.orm import Session

from tidewind.core.scanned import order_of_slip
from tidewind.db.engine import ByDriver
from tidewind.db.tables import Channel, Label, Order, Product, Shipment

_MOST_FORMS = 4


@dataclass(frozen=True, slots=True)
class Meaning:
    """What a code stands for; a product has no order but, maybe, a shelf, and what is unknown has no name.

    ``alike`` is how many orders that go or have gone it means as well as this one: two channels can give one number.
    """

    order_id: int | None = None
    name: str = ""
    shelf: str = ""
    alike: int = 0


def _is_one(column: Any) -> ColumnElement[bool]:
    """Return the condition that a column has one of the forms of a code.

    One by one: a statement with an array, whose length the server cannot know, is planned by it anew each time.
    """
    return or_(*(column == bindparam(f"form_{n}", type_=String) for n in range(_MOST_FORMS)))


def _meanings() -> Select[Any]:
    """Return what reads the likeliest meaning: orders before labels and products, first those that go or have gone."""
    goes = or_(*(Order.state == state for state in ("open", "shipped", "part_shipped")))
    rank = case((goes, 1), else_=2).label("rank")
    slip = Order.id == bindparam("slip_of", type_=BigInteger)
    number = select(rank, Order.id, Order.number, literal("").label("shelf"), Order.id.label("age"))
    label = select(literal(3), Order.id, Order.number, literal(""), Label.id).join_from(Label, Shipment).join(Order)
    product = select(literal(4), null(), Product.name, Product.shelf, Product.id)
    found = union_all(
        number.where(_is_one(Order.number)),
        select(literal(0), Order.id, Order.number, literal(""), Order.id).where(slip),
        label.where(_is_one(Label.tracking_number)),
        product.where(_is_one(Product.barcode) | _is_one(Product.sku)),
    ).subquery()
    alike = case((found.c.rank == 1, func.count().filter(found.c.rank == 1).over()), else_=0)
    return select(found.c.id, found.c.number, found.c.shelf, alike).order_by(found.c.rank, found.c.age.desc()).limit(1)


MEANING = ByDriver(_meanings())
"""Reads what a code stands for, by its forms ``as_given``."""


def as_given(forms: Sequence[str]) -> dict[str, str | int | None]:
    """Return the forms of a code as ``MEANING`` takes them."""
    none = "\x01\x02\x03\x04"  # no form has a sign that is not printable; the same one twice would be planned anew, too
    given: dict[str, str | int | None] = {"slip_of": order_of_slip(forms)}
    return given | {f"form_{n}": forms[n] if n < len(forms) else none[n] for n in range(_MOST_FORMS)}


def orders_meant(session: Session, forms: Sequence[str]) -> list[tuple[int, str, str]]:
    """Return the orders of several channels that have one number: id, channel, and to whom, the newest first."""
    goes = Order.state.in_(("open", "shipped", "part_shipped"))
    query = select(Order.id, Channel.name, Order.address).join(Channel).where(Order.number.in_(forms), goes)
    return [
        (order_id, channel, f"{to.name or to.company}, {to.city}")
        for order_id, channel, to in session.execute(query.order_by(Order.id.desc()).limit(6))
    ]


def meaning_of(session: Session, forms: Sequence[str]) -> Meaning:
    """Return what a code stands for by its forms."""
    return Meaning(*(MEANING.first(session.connection(), as_given(forms)) or ()))
