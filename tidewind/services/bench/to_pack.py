"""An order as it lies on the packing table: locked, and read with all that belongs to it in one way to the database.

The rows are copies that no session writes: opening an order changes none of them but its packing.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, bindparam, func, or_, select
from sqlalchemy.orm import Session
from sqlalchemy.orm.attributes import set_committed_value

from tidewind.core.channel_changes import ChannelChange
from tidewind.core.states.labels import LabelState
from tidewind.db.engine import ByDriver, ask_together
from tidewind.db.tables import Label, Order, OrderLine, Packing, Product, Shipment, SnagRow
from tidewind.services.bench.glancing import copy_of
from tidewind.services.planning import read_changes, waiting_changes

_ORDER = (
    *(Order.id, Order.number, Order.state, Order.state_why, Order.address, Order.note),
    *(Order.plan, Order.batch_id, Order.price_minor),
)
_LINE = (OrderLine.id, OrderLine.sku, OrderLine.name)
_SNAG = (SnagRow.level, SnagRow.words)
_SHIPMENT = (Shipment.id, Shipment.state, Shipment.address, Shipment.service_name, Shipment.tracking_state)
_LABEL = (Label.parcel, Label.printed_at, Label.handed_over_at, Label.tracking_since)
_PACKING = (
    *(Packing.id, Packing.order_id, Packing.bench_id, Packing.person_id, Packing.shipment_id, Packing.state),
    *(
        Packing.items,
        Packing.facts,
        Packing.steps,
        Packing.weights_g,
        Packing.mistakes,
        Packing.packed_at,
        Packing.aside,
    ),
)
_PRODUCT = (
    *(Product.sku, Product.name, Product.barcode, Product.weight_g),
    *(Product.shelf, Product.serial, Product.parts),
)


@dataclass(frozen=True, slots=True)
class ToPack:
    """An order, its newest bought shipment if any, the worst change that waits, and all packings, newest first.

    The change may be another order's: of its whole, or of one that goes along in the same parcel.

    ``products`` has each SKU of its own lines; None for one that the catalogue does not know.
    """

    order: Order
    shipment: Shipment | None
    waiting: ChannelChange | None
    packings: tuple[Packing, ...]
    products: Mapping[str, Product | None]


def _of_order(column: Any) -> ColumnElement[bool]:
    return column == bindparam("order_id", type_=Order.id.type)  # type: ignore[no-any-return]


_LOCKED = ByDriver(select(*_ORDER).where(_of_order(Order.id)).with_for_update(of=Order))
_LINES = ByDriver(
    select(*_LINE, *_PRODUCT)
    .outerjoin(Product, Product.sku == OrderLine.sku)
    .where(_of_order(OrderLine.order_id))
    .order_by(OrderLine.position)
)
_SNAGS = ByDriver(select(*_SNAG).where(_of_order(SnagRow.order_id)).order_by(SnagRow.id))
_BOUGHT = ByDriver(
    select(*_SHIPMENT, *_LABEL)
    .join(Label)
    .where(_of_order(Shipment.order_id), Shipment.state == LabelState.BOUGHT)
    .order_by(Shipment.id.desc(), Label.parcel_no)
)
_WAITING = ByDriver(waiting_changes(or_(_of_order(Order.id), _of_order(Order.joined_to))))
# Not locked: one that is open is its bench's, and one that was left is taken up by whoever has locked the order.
_PACKINGS = ByDriver(select(*_PACKING).where(_of_order(Packing.order_id)).order_by(Packing.id.desc()))
_NEXT_PACKING = ByDriver(select(func.nextval(func.pg_get_serial_sequence("packing", "id"))))


def read_to_pack(session: Session, order_id: int) -> ToPack:
    """Lock an order, and read what is needed to pack it."""
    asked = (_LOCKED, _LINES, _SNAGS, _BOUGHT, _WAITING, _PACKINGS)
    rows = ask_together(session.connection(), {"order_id": order_id}, *asked)
    [locked], lines, snags, bought, waiting, packings = rows
    order = copy_of(Order, _ORDER, iter(locked))
    set_committed_value(order, "lines", [copy_of(OrderLine, _LINE, iter(row)) for row in lines])
    set_committed_value(order, "snags", [copy_of(SnagRow, _SNAG, iter(row)) for row in snags])
    known: dict[str, Product | None] = {}
    for line, row in zip(order.lines, lines, strict=True):
        product = copy_of(Product, _PRODUCT, iter(row[len(_LINE) :]))
        known[line.sku] = product if product.sku else None
    return ToPack(
        order,
        _newest(bought),
        read_changes(waiting).get(order_id),
        tuple(copy_of(Packing, _PACKING, iter(row)) for row in packings),
        known,
    )


def _newest(bought: list[tuple[Any, ...]]) -> Shipment | None:
    """Return the first of shipments, whose columns stand before those of each of its labels."""
    if not bought:
        return None
    values = len(_SHIPMENT)
    shipment = copy_of(Shipment, _SHIPMENT, iter(bought[0]))
    mine = [row[values:] for row in bought if row[0] == shipment.id]
    set_committed_value(shipment, "labels", [copy_of(Label, _LABEL, iter(row)) for row in mine])
    return shipment


def next_packing_id(session: Session) -> int:
    """Return the id of a packing that is to be made; the database gives it to nobody else."""
    row = _NEXT_PACKING.first(session.connection(), {})
    return int(row[0]) if row else 0
