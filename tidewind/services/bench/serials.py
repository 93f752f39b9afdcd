"""A piece's own number is its alone: no product's barcode, no slip, no label, and none that was packed before."""

from __future__ import annotations

from sqlalchemy import Select, exists, select

from tidewind.core.bench.checking import Item
from tidewind.core.scanned import forms_of
from tidewind.core.states.packings import PackingState
from tidewind.core.states.returns import ReturnState
from tidewind.db.tables import Order, Packing, Return, SerialNumber, Shipment
from tidewind.services.bench.one_scan import Scan


def serial_refusal(one: Scan, item: Item, code: str) -> str:
    """Return why a code cannot be the serial number that is awaited; nothing where it can."""
    meant = one.meaning_of(code)
    if meant.order_id is not None:
        return f"{item.name}: {meant.name} is an order; scan the serial number"
    if meant.name:
        return f"{item.name}: that is the barcode of {meant.name}; scan the serial number"
    number = next(iter(forms_of(code)), "").strip()
    if before := one.session.scalar(_packed_before(item.sku, number, one.open_packing.id)):
        return f"{item.name}: serial number {number} was packed before, with order {before}"
    return ""


def _packed_before(sku: str, number: str, packing_id: int) -> Select[str]:
    came_back = exists().where(
        Return.shipment_id == Packing.shipment_id, Return.state.in_((ReturnState.BACK, ReturnState.CLOSED))
    )
    return (
        select(Order.number)
        .select_from(SerialNumber)
        .join(Packing, Packing.id == SerialNumber.packing_id)
        .join(Order, Order.id == Packing.order_id)
        .outerjoin(Shipment, Shipment.id == Packing.shipment_id)
        .where(SerialNumber.number == number, SerialNumber.sku == sku, Packing.id != packing_id)
        .where(Packing.state == PackingState.PACKED, Shipment.tracking_state.is_distinct_from("returned"), ~came_back)
        .limit(1)
    )
