"""Parcels that lie ready and must not go: a channel cancelled or changed their order after the label was bought."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import and_, select
from sqlalchemy.orm import Session

from tidewind.core.channel_changes import ChannelChange
from tidewind.core.states.labels import LabelState
from tidewind.db.tables import Label, Order, Shipment
from tidewind.services.planning import changes_upstream

MAY_GO = and_(Shipment.state.in_(LabelState.TRAVELS), Shipment.overtaken.is_(False))
"""A label that is paid and may leave; one that a change has overtaken may not, though its void was refused."""
LIES = and_(MAY_GO, Label.handed_over_at.is_(None))
"""A label whose parcel still lies there: vans, lists and what is left behind count these, and none that has gone."""


@dataclass(frozen=True, slots=True)
class Stopped:
    """An order whose labels must not leave before somebody has decided about what its channel says."""

    order_id: int
    order_number: str
    change: ChannelChange
    labels: tuple[Label, ...] = ()

    @property
    def words(self) -> str:
        """Why, for a list."""
        return self.change.words


def stopped_in(session: Session, labels: Sequence[Label]) -> list[Stopped]:
    """Return the orders of labels that must not go, by number."""
    query = (
        select(Shipment.id, Order.id, Order.number)
        .join(Order, Order.id == Shipment.order_id)
        .where(Shipment.id.in_({label.shipment_id for label in labels}))
        .order_by(Order.number)
    )
    orders = [(shipment, order, number) for shipment, order, number in session.execute(query)]
    changes = changes_upstream(session, [order for _, order, _ in orders])
    return [
        Stopped(order, number, changes[order], tuple(label for label in labels if label.shipment_id == shipment))
        for shipment, order, number in orders
        if order in changes and changes[order].stops
    ]


def said_of(stopped: Sequence[Stopped]) -> str:
    """Return in a sentence what must not go: each order by its number, of many the first three."""
    named = "; ".join(f"{one.order_number}: {one.words}" for one in stopped[:3])
    more = f"; and {len(stopped) - 3} more" if len(stopped) > 3 else ""
    return f"{named}{more}."
