"""What borders asked for in the end, beside what was reckoned before the purchase."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Integer, cast, func, select
from sqlalchemy.orm import Session

from tidewind.core.quantities import money_text
from tidewind.core.states.labels import LabelState
from tidewind.db.tables import Order, Shipment
from tidewind.services.base import Conflict, Invalid, NotFound, write_history
from tidewind.services.planning import shop_settings

MOST_MINOR = 100_000_000


@dataclass(frozen=True, slots=True)
class DutyRecord:
    """Parcels to one place for which both are known: the sums, in the shop's minor units."""

    to: str
    parcels: int
    estimated_minor: int
    charged_minor: int


def _bought(order_id: int) -> tuple[object, ...]:
    return Shipment.order_id == order_id, Shipment.state.in_(LabelState.TRAVELS), Shipment.customs != {}


def charged_for(session: Session, order_id: int) -> int | None:
    """Return what was charged at an order's border, None where nobody has said."""
    query = select(Shipment.duties_charged_minor).where(*_bought(order_id))  # type: ignore[arg-type]
    return session.scalar(query.order_by(Shipment.id.desc()).limit(1))


def say_charged(session: Session, order_id: int, charged_minor: int | None, who: str, now: datetime) -> None:
    """Keep what a border charged, None: nobody knows after all.  The estimate stays as it was frozen.

    Raises NotFound, Conflict where nothing went over a border, Invalid for a sum that is none.
    """
    order = session.get(Order, order_id)
    if order is None:
        raise NotFound("unknown_order", "This order does not exist.")
    if charged_minor is not None and not 0 <= charged_minor <= MOST_MINOR:
        raise Invalid("bad_sum", "Duties and taxes are a sum of zero or more.")
    query = select(Shipment).where(*_bought(order_id)).order_by(Shipment.id.desc())  # type: ignore[arg-type]
    shipment = session.scalars(query.limit(1).with_for_update(of=Shipment)).first()
    if shipment is None:
        raise Conflict("no_border", "Nothing of this order went over a customs border.")
    if shipment.duties_charged_minor == charged_minor:
        return
    shipment.duties_charged_minor = charged_minor
    said = "are not known" if charged_minor is None else money_text(charged_minor, shop_settings(session).currency)
    write_history(session, order, who, f"duties and taxes charged: {said}", now)


def compared_duties(session: Session) -> Sequence[DutyRecord]:
    """Return the sums estimated and charged by destination, those with most parcels first."""
    due, to = Shipment.customs["border"]["due"]["in_order_minor"], Shipment.customs["border"]["journey"]["to"]
    rows = session.execute(
        select(
            to.astext,
            func.count(),
            func.sum(cast(due.astext, Integer)),
            func.sum(Shipment.duties_charged_minor),
        )
        .where(Shipment.duties_charged_minor.is_not(None))
        .group_by(to.astext)
        .order_by(func.count().desc(), to.astext)
    )
    return [DutyRecord(*row) for row in rows]
