"""Orders to which a change of rules gives other tags or another desk and nothing else: these are not planned anew."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

from sqlalchemy import Row, select
from sqlalchemy.orm import Session

from tidewind.core.layers import RULE
from tidewind.core.rules.evaluate import Labels
from tidewind.db.bulk import Columns, write_rows
from tidewind.db.tables import Order
from tidewind.services.planning.records import read_again


def relabel(session: Session, labels: Mapping[tuple[int, int], Labels], now: datetime) -> tuple[list[int], int]:
    """Write labels to orders, given by id and version of the plan; return those to plan instead, and how many changed.

    The orders are locked; one whose plan was made anew since it was judged is not written.  What people set by hand or
    for a batch stays above the rules.
    """
    ids = [order_id for order_id, _ in labels]
    query = select(Order.id, Order.plan_version, Order.plan, Order.desk, Order.plan_tags).where(Order.id.in_(ids))
    rows = session.execute(query.order_by(Order.id).with_for_update()).all()
    same = [row for row in rows if (row.id, row.plan_version) in labels]
    written = [_labelled(row, labels[row.id, row.plan_version], now) for row in same]
    write_rows(session, Order, ("plan", "desk", "plan_tags", "plan_version", "planned_at"), written)
    read_again(session, {row.id for row in same})
    changed = sum(
        (new["desk"], new["plan_tags"]) != (row.desk, row.plan_tags) for new, row in zip(written, same, strict=True)
    )
    return [row.id for row in rows if (row.id, row.plan_version) not in labels], changed


def _labelled(row: Row[Any], labels: Labels, now: datetime) -> Columns:
    trail = {name: steps for name, steps in row.plan.trail.items() if name not in {"tags", "desk"}}
    by_people = tuple(step for step in row.plan.trail.get("desk", ()) if step.layer != RULE)
    for name, above in (("tags", ()), ("desk", by_people)):
        steps = (*labels.trail.get(name, ()), *above)
        if steps:
            trail[name] = steps
    return {
        "id": row.id,
        "plan": replace(row.plan, trail=trail, rules=tuple(labels.rules)),
        "desk": row.desk if by_people else labels.desk[:60],
        "plan_tags": sorted(labels.tags),
        "plan_version": row.plan_version + 1,
        "planned_at": now,
    }
