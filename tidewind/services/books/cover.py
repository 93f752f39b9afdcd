"""The open policy with an insurer: its terms, and the list of covered shipments that the insurer bills by."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import tidy
from tidewind.core.states.labels import LabelState
from tidewind.db.tables import Order, Shipment, Work
from tidewind.services.base import Invalid
from tidewind.services.planning import replan_waiting, shop_settings

COVER_HEADS = ("Bought (UTC)", "Order", "Country", "Carrier", "Tracking numbers", "Value", "Premium")


def set_cover_terms(session: Session, terms: Mapping[str, Any] | None, now: datetime) -> Work:
    """Set the terms of the policy, or end it (None); waiting orders are planned anew.  Raises Invalid."""
    row = shop_settings(session)
    if terms is None:
        row.cover = {}
        return replan_waiting(session, "The open policy ended", now)
    kept = {**terms, "insurer": tidy(terms["insurer"])[:80], "policy": tidy(terms["policy"])[:60]}
    if not kept["insurer"] or kept["step"] <= 0:
        raise Invalid("bad_cover", "An open policy needs the insurer's name, and a step of value above nothing.")
    row.cover = {**kept, "not_covered": sorted(set(terms["not_covered"]))}
    session.flush()
    return replan_waiting(session, f"The open policy with {kept['insurer']} was changed", now)


def cover_declarations(session: Session, since: datetime, until: datetime) -> Iterator[list[str]]:
    """Yield the covered shipments bought in a span of time (until is not in it); amounts in minor units."""
    query = (
        select(Shipment)
        .join(Order, Order.id == Shipment.order_id)
        .where(Shipment.premium_minor > 0, Shipment.state.in_(LabelState.COVERED))
        .where(Shipment.bought_at >= since, Shipment.bought_at < until)
        .order_by(Shipment.bought_at, Shipment.id)
    )
    for shipment in session.scalars(query):
        numbers = " ".join(label.tracking_number or "" for label in shipment.labels)
        value = shipment.order.plan.value_minor
        yield [
            f"{shipment.bought_at:%Y-%m-%d %H:%M}",
            shipment.order.number,
            shipment.address.country,
            shipment.carrier,
            numbers,
            str(value),
            str(shipment.premium_minor),
        ]
