"""Who one order is sent by, where that is not the shop: for this shipment alone, the saved places stay as they are."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime

from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address, check, tidy_address
from tidewind.core.stored import NO_ADDRESS
from tidewind.db.tables import Order
from tidewind.services.base import Conflict, Invalid, write_history
from tidewind.services.orders.one_order import editable
from tidewind.services.planning import plan_orders


def set_sender(session: Session, order_id: int, sender: Address | None, who: str, now: datetime) -> Order:
    """Let one order be sent by somebody else, or by the shop again with None; it is rated and planned from there.

    No saved place changes by it (A1).  Raises Invalid with what is wrong with the address, Conflict where the order
    goes with another or cannot be changed any more.
    """
    order = editable(session, order_id)
    if order.joined_to:
        raise Conflict("joined", f"Order {order.number} goes with another. Change the sender there, or part them.")
    tidied = tidy_address(sender) if sender else NO_ADDRESS
    if sender and (faults := check(tidied)):
        raise Invalid("address", "From: " + "; ".join(fault.words for fault in faults) + ".")
    if tidied == order.sender:
        return order
    before, order.sender = order.sender, tidied
    what = f"sent by {tidied.name or tidied.company}, {tidied.city}" if sender else "sent by the shop again"
    write_history(session, order, who, what, now, {"sender": asdict(before)})
    plan_orders(session, [order], now)
    return order
