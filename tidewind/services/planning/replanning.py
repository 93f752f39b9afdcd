"""After a change to a layer the waiting orders are planned anew: at once where they are few, else in the background."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import NamedTuple

from sqlalchemy import ColumnElement, func, select, update
from sqlalchemy.orm import Session, sessionmaker
from sqlalchemy.orm.attributes import set_committed_value

from tidewind.core.order_facts import Shop
from tidewind.core.rules.evaluate import Labels
from tidewind.core.rules.touching import RuleChange, change_between
from tidewind.db.among import among
from tidewind.db.tables import Order, Work
from tidewind.db.tables import Shop as ShopRow
from tidewind.services.base import defer, lock_orders
from tidewind.services.planning.plans import keep_up, plan_orders, plan_records, waiting_clause
from tidewind.services.planning.records import lock_records, write_plans
from tidewind.services.planning.relabelling import relabel
from tidewind.services.planning.shares import give_back, take_share
from tidewind.services.planning.shop_facts import core_shop, rules_in_force, rules_of
from tidewind.services.planning.touched import Scope, can_touch, labels_alone, read_judged, touched_clause

AT_ONCE, CHUNK, LOOKED_AT, HELPERS = 300, 1_000, 2_500, 4
"""``CHUNK``: so many are planned in one transaction, in half a second; the shop and its prices are made ready for each.

``HELPERS``: so many workers at most share one piece of work.
"""
DUE_AT_ONCE = 500
"""So many whose truck has left are planned in one transaction, through the mapper."""


def replan_waiting(session: Session, words: str, now: datetime, scope: Scope | None = None) -> Work:
    """Plan the waiting orders anew: at once where they are few, else in the background; return how far it is.

    Hand edits are a layer of their own and stay.  ``scope`` says which orders the change can touch; None for all.
    """
    session.flush()
    scope = scope or Scope()
    clause = scope.clause
    if scope.rules:
        clause &= touched_clause(change_between(*(rules_of(session, version) for version in scope.rules)))
    total = session.scalar(select(func.count(Order.id)).where(clause)) or 0
    work = Work(kind="replan", words=words[:200], total=total, state="waiting", done=0, cursor=0, scope=scope.written)
    session.add(work)
    session.flush()
    if total <= AT_ONCE:
        looked = changed = 0
        after: int | None = 0
        while after is not None:
            done = _plan_part(session, scope, after, None, now, work.id)
            looked, changed, after = looked + done.looked, changed + done.changed, done.last
        work.state, work.done, work.total, work.result = "done", looked, looked, str(changed)
    else:
        if scope.narrow:
            _out_of_date(session, clause, now)
        for _ in range(HELPERS):
            defer(session, "replan", work_id=work.id)
    return work


def replan_some(session: Session, words: str, now: datetime, scope: Scope) -> int:
    """Plan anew the waiting orders that a change names, and return how many: few within this transaction.

    Many in the background, as a piece of work; until then their plans count as out of date.
    """
    session.flush()
    ids = session.scalars(select(Order.id).where(scope.clause).limit(AT_ONCE + 1)).all()
    if len(ids) > AT_ONCE:
        return replan_waiting(session, words, now, scope).total
    plan_orders(session, lock_orders(session, ids), now)
    return len(ids)


def _out_of_date(session: Session, clause: ColumnElement[bool], now: datetime) -> None:
    """Let the plans of orders count no longer until they are made anew: nothing is shown or bought by an old one.

    In the order of their ids, as all locks on orders are taken.
    """
    due = select(Order.id).where(clause).order_by(Order.id).with_for_update().cte("due")
    moment = now - timedelta(microseconds=1)
    written = update(Order).where(Order.id.in_(select(due.c.id))).values(good_until=moment).returning(Order.id)
    ids = set(session.scalars(written, execution_options={"synchronize_session": False}))
    for kept in session.identity_map.values():
        if isinstance(kept, Order) and kept.id in ids:
            set_committed_value(kept, "good_until", moment)


def keep_up_due(sessions: sessionmaker[Session], clock: Callable[[], datetime]) -> None:
    """Plan anew what time has made out of date: every waiting order when a day begins, else those whose truck left."""
    with sessions.begin() as session:
        row = session.get(ShopRow, 1, with_for_update=True)
        if row is None:
            return
        today = row.day_of(clock())
        new_day, row.planned_on = row.planned_on not in {None, today}, today
        if new_day:
            replan_waiting(session, f"{today:%A %-d %B} began", clock())
    more = True
    while more:
        with sessions.begin() as session:
            due = waiting_clause() & (Order.good_until < clock())
            orders = lock_orders(session, where=due, most=DUE_AT_ONCE, skip_locked=True)
            more = keep_up(session, orders, clock()) == DUE_AT_ONCE


def go_on_replanning(
    sessions: sessionmaker[Session], work_id: int, clock: Callable[[], datetime], by: str = "worker"
) -> None:
    """Do shares of a piece of replanning until none is left to take; several workers may, each ``by`` its own name.

    A killed worker loses nothing but time: whoever comes next by the same name does its share again.
    """
    with sessions() as session:
        work = session.get(Work, work_id)
        scope = Scope.read(work.scope) if work else Scope()
    while mine := take_share(sessions, work_id, by, _next_end, clock()):
        looked = changed = 0
        after: int | None = mine.after
        while after is not None:
            with sessions.begin() as session:
                done = _plan_part(session, scope, after, mine.up_to, clock(), work_id)
            looked, changed, after = looked + done.looked, changed + done.changed, done.last
        give_back(sessions, work_id, mine, looked, changed)


def is_done(session: Session, work_id: int) -> bool:
    """Tell whether nothing of a piece of work is left."""
    return session.scalar(select(Work.state).where(Work.id == work_id)) == "done"


def _next_end(session: Session, work: Work) -> int | None:
    scope = Scope.read(work.scope)
    ids = select(Order.id).where(scope.clause, Order.id > work.cursor).order_by(Order.id)
    several = ids.limit(LOOKED_AT if scope.rules else CHUNK).subquery()
    return session.execute(select(func.max(several.c.id))).scalar_one_or_none()


class _Part(NamedTuple):
    """What was done at once: how many orders were looked at and changed, and after which id to go on; None: nowhere."""

    looked: int
    changed: int
    last: int | None


def _plan_part(session: Session, scope: Scope, after: int, up_to: int | None, now: datetime, work_id: int) -> _Part:
    """Plan the next orders of a scope within a range of ids, all in this transaction."""
    inside = Order.id > after if up_to is None else Order.id.between(after + 1, up_to)
    shop, changed = core_shop(session, now), 0
    if scope.rules:
        found = _touched(session, scope, inside, shop, work_id)
        if found.labels:
            again, changed = relabel(session, found.labels, now)
            found.ids += again
        records = lock_records(session, scope.clause & among(Order.id, found.ids)) if found.ids else []
    else:
        records = lock_records(session, scope.clause & inside, CHUNK)
        found = _Found(records[-1].id if records else 0, len(records) == CHUNK, looked=len(records))
    if records:
        planned = plan_records(session, records, now, shop)
        write_plans(session, planned.written, planned.columns)
        changed += planned.changed
    more = found.more and found.last != up_to
    return _Part(found.looked, changed, found.last if more else None)


@dataclass(slots=True)
class _Found:
    """The next orders of a piece of work: to plan, or to label only (by id and version of the plan).

    ``more`` tells that there may be others after the ``last``.
    """

    last: int = 0
    more: bool = False
    ids: list[int] = field(default_factory=list)
    labels: dict[tuple[int, int], Labels] = field(default_factory=dict)
    looked: int = 0


def _touched(session: Session, scope: Scope, inside: ColumnElement[bool], shop: Shop, work_id: int) -> _Found:
    """Find the next orders that a change of rules touches: most it does not, and of many it moves but the labels."""
    change = change_between(*(rules_of(session, version) for version in scope.rules or ()))
    alone, found = _alone(session, work_id, change), _Found()
    clause = scope.clause & touched_clause(change) & inside
    most = LOOKED_AT if change.asked else CHUNK
    for row in read_judged(session, clause, most):
        found.looked, found.last = found.looked + 1, row.id
        if not can_touch(change, shop, row):
            continue
        labels = labels_alone(change, shop, row) if alone else None
        if labels:
            found.labels[row.id, row.plan_version] = labels
        else:
            found.ids.append(row.id)
        found.more = found.looked == most or len(found.ids) == CHUNK
        if len(found.ids) == CHUNK:
            break
    return found


def _alone(session: Session, work_id: int, change: RuleChange) -> bool:
    """Tell whether plans still are what the rules before this change made of them, and nothing newer is in force."""
    earlier = select(Work.id).where(Work.kind == "replan", Work.state != "done", Work.id < work_id).limit(1)
    return rules_in_force(session) == change.after and session.scalar(earlier) is None


def newest_works(session: Session, limit: int = 12) -> Sequence[Work]:
    """Return the newest pieces of background work."""
    return session.scalars(select(Work).order_by(Work.id.desc()).limit(limit)).all()
