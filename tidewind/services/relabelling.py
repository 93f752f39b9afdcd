"""Orders to which a change of rules gives other tags or another desk and nothing else: these are not planned anew."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

import orjson
from sqlalchemy import Row, select, text
from sqlalchemy.orm import Session

from tidewind.core.layers import RULE
from tidewind.core.order_facts import Shop
from tidewind.core.rules.evaluate import Labels
from tidewind.core.rules.touching import RuleChange
from tidewind.db.tables import Order
from tidewind.services.scope import facts_now

_WRITE = text(
    "update customer_order set plan = r.plan, desk = r.desk, plan_tags = r.plan_tags, "
    "plan_version = plan_version + 1, planned_at = :now "
    "from jsonb_to_recordset(cast(:rows as jsonb)) as r(id bigint, plan jsonb, desk text, plan_tags jsonb) "
    "where customer_order.id = r.id"
)


def relabel(
    session: Session, ids: Sequence[int], change: RuleChange, shop: Shop, now: datetime
) -> tuple[list[int], int]:
    """Write the labels of those orders that get nothing else from a change; return the others, and how many changed.

    The orders are locked.  What people set by hand or for a batch stays above the rules.
    """
    query = select(Order.id, Order.rule_facts, Order.plan, Order.desk, Order.plan_tags).where(Order.id.in_(ids))
    others: list[int] = []
    written: list[dict[str, Any]] = []
    changed = 0
    for row in session.execute(query.order_by(Order.id).with_for_update()):
        facts = row.rule_facts and facts_now(row.rule_facts, shop)
        labels = change.labels(row.plan["rules"], facts) if facts and "rules" in row.plan else None
        if labels is None:
            others.append(row.id)
            continue
        values = _labelled(row, labels)
        changed += (values["desk"], values["plan_tags"]) != (row.desk, row.plan_tags)
        written.append(values)
    if written:
        _write(session, written, now)
    return others, changed


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
