"""Orders to which a change of rules gives other tags or another desk and nothing else: these are not planned anew."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

import orjson
from sqlalchemy import Row, select, text
from sqlalchemy.orm import Session

from tidewind.core.layers import RULE
from tidewind.core.rules.evaluate import Labels
from tidewind.db.tables import Order

_WRITE = text(
    "update customer_order set plan = r.plan, desk = r.desk, plan_tags = r.plan_tags, "
    "plan_version = plan_version + 1, planned_at = :now "
    "from jsonb_to_recordset(cast(:rows as jsonb)) as r(id bigint, plan jsonb, desk text, plan_tags jsonb) "
    "where customer_order.id = r.id"
)


def relabel(session: Session, labels: Mapping[tuple[int, int], Labels], now: datetime) -> tuple[list[int], int]:
    """Write labels to orders, given by id and version of the plan; return those to plan instead, and how many changed.

    The orders are locked; one whose plan was made anew since it was judged is not written.  What people set by hand or
    for a batch stays above the rules.
    """
    ids = [order_id for order_id, _ in labels]
    query = select(Order.id, Order.plan_version, Order.plan, Order.desk, Order.plan_tags).where(Order.id.in_(ids))
    rows = session.execute(query.order_by(Order.id).with_for_update()).all()
    same = [row for row in rows if (row.id, row.plan_version) in labels]
    written = [_labelled(row, labels[row.id, row.plan_version]) for row in same]
    if written:
        _write(session, written, now)
    changed = sum(
        (new["desk"], new["plan_tags"]) != (row.desk, row.plan_tags) for new, row in zip(written, same, strict=True)
    )
    return [row.id for row in rows if (row.id, row.plan_version) not in labels], changed


def _labelled(row: Row[Any], labels: Labels) -> dict[str, Any]:
    trail = {name: steps for name, steps in row.plan["trail"].items() if name not in {"tags", "desk"}}
    by_people = [step for step in row.plan["trail"].get("desk", []) if step["layer"] != RULE]
    for name, above in (("tags", []), ("desk", by_people)):
        steps = [{"layer": s.layer, "value": s.value, "why": s.why} for s in labels.trail.get(name, ())] + above
        if steps:
            trail[name] = steps
    layers = sorted({step["layer"] for steps in trail.values() for step in steps})
    return {
        "id": row.id,
        "plan": {**row.plan, "trail": trail, "rules": list(labels.rules), "layers": layers},
        "desk": row.desk if by_people else labels.desk[:60],
        "plan_tags": sorted(labels.tags),
    }


def _write(session: Session, rows: list[dict[str, Any]], now: datetime) -> None:
    """Write all rows in one statement, and have orders that are in memory read again."""
    session.execute(_WRITE, {"rows": orjson.dumps(rows).decode(), "now": now})
    done = {row["id"] for row in rows}
    for kept in list(session.identity_map.values()):
        if isinstance(kept, Order) and kept.id in done:
            session.expire(kept)
