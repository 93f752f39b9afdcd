"""What a channel changed after the label was bought: the label is voided and the change taken, or the parcel kept here.

The third way, to send it on as it is, refuses the change (``decide_difference``).
"""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.states.labels import LabelState
from tidewind.db.tables import Label, Order
from tidewind.services.base import Conflict, lock_orders, write_history
from tidewind.services.buying.voiding import ask_void
from tidewind.services.orders import decide_difference, labels_made_wrong, waiting_difference


def void_and_take(session: Session, difference_id: int, who: str, printed_too: bool, now: datetime) -> Order:
    """Ask the carriers to void every label that a change makes wrong, then let the order be what its channel says.

    Wholly or not at all.  Raises NotFound where it is decided, Conflict where a label is being bought just now, cannot
    be voided any more, or is printed and nobody has said that it is on no parcel (``printed_too``).
    """
    row = waiting_difference(session, difference_id)
    labels = labels_made_wrong(session, row)
    lock_orders(session, {shipment.order_id for shipment in labels})
    if any(shipment.state == LabelState.BUYING for shipment in labels):
        raise Conflict("buying", "A label for it is being bought just now. Decide in a moment.")
    if labels:
        refused = ask_void(session, [shipment.id for shipment in labels], who, printed_too, now).refused
        if refused:
            why = "; ".join(f"{s.order.number}: {refused[s.id]}" for s in labels if s.id in refused)
            words = f"The label cannot be voided. {why}. Nothing was changed: keep the parcel here, or send it on."
            raise Conflict("cannot_void", words)
        for shipment in labels:
            shipment.overtaken = True  # should the carrier refuse the void, it is paid for and wrong all the same
        session.flush()
    return decide_difference(session, difference_id, True, who, now)


def keep_here(session: Session, difference_id: int, who: str, now: datetime) -> Order:
    """Take the parcels that a change makes wrong out of the driver's count, so that they stay; the change still waits.

    Raises NotFound where it is decided, Conflict where a parcel has been handed over.
    """
    row = waiting_difference(session, difference_id)
    shipments = {shipment.id: shipment for shipment in labels_made_wrong(session, row)}
    query = select(Label).where(Label.shipment_id.in_(shipments)).order_by(Label.id).with_for_update()
    labels = session.scalars(query).all()
    if any(label.handed_over_at for label in labels):
        raise Conflict("gone", "It has been handed over already, so it cannot be kept here.")
    for label in labels:
        label.counted_at = None
    for order_id in {row.order_id, *(shipment.order_id for shipment in shipments.values())}:
        write_history(session, session.get_one(Order, order_id), who, "keeps the parcel here until it is decided", now)
    return session.get_one(Order, row.order_id)
