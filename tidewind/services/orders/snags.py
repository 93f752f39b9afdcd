"""Snags of waiting orders, and of bought ones that a channel changed since, those about the same thing together."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.snags import Snag, snag_of_change
from tidewind.db.tables import Order, SnagRow
from tidewind.services.planning import changes_upstream, concerned_orders


@dataclass(frozen=True, slots=True)
class SnagGroup:
    """Snags of one kind: the code, an example in words, the fix, and the orders that have it."""

    code: str
    level: str
    words: str
    fix: str
    about: str
    order_ids: tuple[int, ...]


# Snags whose words hold a figure of one order: said so that it is true of several.
_TOGETHER = {
    "promise_missed": "Arrives after the promise",
    "postcode_city": "The postcode is in another place than the city says",
    "no_recipient": "The recipient has no name; the bill has one",
    "restricted_party": "The recipient is like somebody on a list",
    "worth": "Priced in another currency; enter the value",
}
_AFTER_BUYING = {
    "cancelled_upstream": "Their channel cancelled these orders, whose labels are bought",
    "stopped_upstream": "Their channel keeps these orders back, whose labels are bought",
    "changed_upstream": "Their channel changed these orders, whose labels are bought",
}


def snag_groups(session: Session) -> list[SnagGroup]:
    """Return the snags of waiting orders, grouped by what they are about, most orders first.

    Among them are changes that channels made to orders whose labels are bought: nobody has decided about them yet.
    """
    rows = session.execute(
        select(
            SnagRow.code,
            SnagRow.level,
            func.min(SnagRow.words),
            SnagRow.fix,
            SnagRow.about,
            func.array_agg(SnagRow.order_id.distinct()),
        )
        .join(Order, Order.id == SnagRow.order_id)
        .where(Order.state == "open")
        .group_by(SnagRow.code, SnagRow.level, SnagRow.fix, SnagRow.about)
    )
    groups = [
        SnagGroup(code, level, _TOGETHER.get(code, words) if len(ids) > 1 else words, fix, about, tuple(ids))
        for code, level, words, fix, about, ids in rows
    ]
    groups += _changed_after_buying(session)
    # What may leave with the next van comes before what waits anyway.
    return sorted(groups, key=lambda g: (g.level, g.about != "bought", -len(g.order_ids), g.code, g.about))


def _changed_after_buying(session: Session) -> list[SnagGroup]:
    gone = Order.state.in_(("shipped", "part_shipped"))
    ids = session.scalars(select(Order.id).where(gone, Order.id.in_(concerned_orders())).order_by(Order.id)).all()
    alike: dict[tuple[str, str], list[tuple[int, Snag]]] = defaultdict(list)
    for order_id, change in changes_upstream(session, ids).items():
        snag = snag_of_change(change)
        alike[snag.code, snag.level].append((order_id, snag))
    return [
        SnagGroup(
            code,
            level,
            _AFTER_BUYING[code] if len(found) > 1 else f"{found[0][1].words}; its label is bought",
            "difference",
            "bought",
            tuple(sorted(order_id for order_id, _ in found)),
        )
        for (code, level), found in alike.items()
    ]
