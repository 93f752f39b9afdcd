"""Snags of waiting orders, those about the same thing together."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.db.tables import Order, SnagRow


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
}


def snag_groups(session: Session) -> list[SnagGroup]:
    """Return the snags of waiting orders, grouped by what they are about, most orders first."""
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
    return sorted(groups, key=lambda g: (g.level, -len(g.order_ids), g.code, g.about))
