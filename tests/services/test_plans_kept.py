"""Plans in their column: what is as it was is not written, whatever version it is of, and what is not is made right."""

from __future__ import annotations

import copy
import json
from collections.abc import Callable
from typing import Any

import pytest
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from tests.conftest import Clock
from tidewind.core.stored import NO_PLAN, VERSION, read_plan, write_plan
from tidewind.db.tables import Order
from tidewind.services.orders import edit_hand
from tidewind.services.planning import Scope, plan_orders, plan_records, replan_waiting
from tidewind.services.planning.plans import waiting_clause
from tidewind.services.planning.records import PLANNED, OrderRecord, lock_records, write_plans


def kept(session: Session) -> dict[int, dict[str, Any]]:
    """Every waiting order's plan as it lies in the database."""
    rows = session.execute(
        text("select id, plan from customer_order where state = 'open' and state_by = '' order by id")
    )
    return {row.id: row.plan for row in rows}


def rows_written(session: Session) -> dict[int, str]:
    """By order, which transaction and place its row is from: both are others once it is written."""
    rows = session.execute(text("select id, xmin::text || ctid::text as at from customer_order order by id"))
    return {row.id: row.at for row in rows}


def plan_versions(session: Session) -> dict[int, int]:
    return {row.id: row.plan_version for row in session.execute(select(Order.id, Order.plan_version))}


def anew(session: Session, clock: Clock) -> int:
    session.flush()
    session.expire_all()
    work = replan_waiting(session, "anew", clock(), Scope())
    session.flush()
    return int(work.result)


def spoil(session: Session, change: Callable[[dict[str, Any]], None]) -> int:
    """Change what is kept of every plan, behind the program's back; return how many have become others."""
    others = 0
    for order_id, plan in kept(session).items():
        changed = copy.deepcopy(plan)
        change(changed)
        others += changed != plan
        session.execute(
            text("update customer_order set plan = cast(:plan as jsonb) where id = :id"),
            {"plan": json.dumps(changed), "id": order_id},
        )
    return others


def test_what_is_as_it_was_is_not_written(session: Session, clock: Clock) -> None:
    anew(session, clock)
    before, plans = rows_written(session), kept(session)
    assert len(plans) > 20
    assert anew(session, clock) == 0
    assert rows_written(session) == before
    (one, *_) = plans
    edit_hand(session, [one], {"desk": "Bench 2"}, "Tomé", clock())
    after = rows_written(session)
    assert {order_id for order_id in after if after[order_id] != before[order_id]} == {one}


def version_2(plan: dict[str, Any]) -> None:
    """As the version before wrote it, which did not keep what the layers had settled."""
    for later in ("not_before", "box", "divided"):
        plan.pop(later)
    plan["version"] = 2


def version_1(plan: dict[str, Any]) -> None:
    """As the first version wrote it: without its number, an account or what an insurer asks."""
    version_2(plan)
    plan.pop("version")
    for later in ("account", "premium_minor") if plan["quote"] else ():
        plan["quote"].pop(later)


@pytest.mark.parametrize("older", [version_2, version_1])
def test_a_plan_of_an_older_version_that_says_the_same_stays(
    session: Session, clock: Clock, older: Callable[[dict[str, Any]], None]
) -> None:
    anew(session, clock)
    right = kept(session)
    assert spoil(session, older) == len(right)
    session.expire_all()
    anew(session, clock)
    for order_id, plan in kept(session).items():
        assert read_plan(plan) == read_plan(right[order_id])
        said = copy.deepcopy(right[order_id])
        older(said)
        if plan.get("version") != VERSION:  # left as it was, since it says the same
            assert plan == said
        else:
            assert read_plan(said) != read_plan(right[order_id]), "only what the older one could not say is written"


def _line(plan: dict[str, Any]) -> None:
    if plan["quote"]:
        plan["quote"]["lines"][0]["amount_minor"] += 1


def _why(plan: dict[str, Any]) -> None:
    for steps in plan["trail"].values():
        steps[-1]["why"] += "!"


def _parcel(plan: dict[str, Any]) -> None:
    for parcel in plan["parcels"]:
        parcel["sides_mm"][0] += 1


def _contents(plan: dict[str, Any]) -> None:
    for parcel in plan["parcels"]:
        parcel["contents"] = [*parcel["contents"][::-1], [999_999, 1]]


def _gone(plan: dict[str, Any]) -> None:
    plan.clear()


@pytest.mark.parametrize("wrong", [_line, _why, _parcel, _contents, _gone])
def test_what_is_kept_wrong_is_made_right(
    session: Session, clock: Clock, wrong: Callable[[dict[str, Any]], None]
) -> None:
    anew(session, clock)
    right = kept(session)
    versions = plan_versions(session)
    others = {i for i, plan in right.items() if _spoilt(plan, wrong)}
    assert spoil(session, wrong) == len(others) > 5
    anew(session, clock)
    assert kept(session) == right
    after = plan_versions(session)
    assert {order_id for order_id in after if after[order_id] != versions[order_id]} == others


def _spoilt(plan: dict[str, Any], wrong: Callable[[dict[str, Any]], None]) -> bool:
    changed = copy.deepcopy(plan)
    wrong(changed)
    return changed != plan


def test_records_are_planned_as_orders_of_the_mapper_are(session: Session, clock: Clock) -> None:
    session.execute(text("update customer_order set plan = '{}', carrier = null, price_minor = null, snag_level = ''"))
    session.expire_all()
    records = lock_records(session, waiting_clause())
    plan_records(session, records, clock())
    orders = session.scalars(select(Order).where(waiting_clause()).order_by(Order.id)).all()
    plan_orders(session, orders, clock())
    compared = [name for name in PLANNED if name != "plan_version"]
    for record, order in zip(records, orders, strict=True):
        assert [getattr(record, name) for name in compared] == [getattr(order, name) for name in compared]
        assert [s.words for s in record.snags] == [s.words for s in order.snags]
        assert record.keeps(order.plan, write_plan(order.plan))


def test_a_record_reads_its_plan_from_how_it_is_written(session: Session, clock: Clock) -> None:
    anew(session, clock)
    record = lock_records(session, waiting_clause())[0]
    assert record.plan_written == write_plan(record.plan) == kept(session)[record.id]
    assert record.plan == session.get_one(Order, record.id).plan
    assert record.keeps(record.plan, record.plan_written)
    assert not record.keeps(NO_PLAN, write_plan(NO_PLAN))
    record.plan_written = write_plan(NO_PLAN)
    assert record.plan == NO_PLAN
    write_plans(session, [record], {"plan"})
    assert session.get_one(Order, record.id).plan == NO_PLAN
    assert isinstance(record, OrderRecord)
