"""A change to a layer: say beforehand what it would change, then plan the waiting orders anew in the background."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from functools import cache
from zoneinfo import ZoneInfo

from sqlalchemy import func, select
from sqlalchemy.orm import Session, defer, lazyload, sessionmaker

from tidewind.core.order_facts import OrderFacts, Shop
from tidewind.core.parcels import parcels_text
from tidewind.core.planning import Plan, plan
from tidewind.core.rules.evaluate import Labels
from tidewind.core.rules.touching import RuleChange, change_between
from tidewind.db.tables import Order, Work
from tidewind.db.tables import Shop as ShopRow
from tidewind.services import queue
from tidewind.services.live import tell
from tidewind.services.planning import all_facts, keep_up, plan_orders, waiting_clause
from tidewind.services.relabelling import relabel
from tidewind.services.scope import Judged, Scope, can_touch, judged, labels_alone, touched_clause
from tidewind.services.shop_facts import core_shop, rules_in_force, rules_of

PAST = timedelta(days=90)
AT_ONCE, CHUNK, LOOKED_AT, MOST_REHEARSED, MOST_SHOWN = 300, 500, 2_500, 2_000, 60


@dataclass(frozen=True, slots=True)
class Outcome:
    """What people would notice of a plan."""

    state: str
    service: str
    packaging: str
    extras: tuple[str, ...]
    price_minor: int | None
    ship_date: date | None
    arrives: date | None
    desk: str
    tags: tuple[str, ...]
    snags: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Change:
    """One order whose plan would be another."""

    order_id: int
    number: str
    recipient: str
    before: Outcome
    after: Outcome


@dataclass(slots=True)
class Rehearsal:
    """What a change would do to orders; ``looked_at`` of ``waiting`` were tried; late ones miss their promise."""

    waiting: int = 0
    looked_at: int = 0
    changed: int = 0
    before_minor: int = 0
    after_minor: int = 0
    stopped_before: int = 0
    stopped_after: int = 0
    late_before: int = 0
    late_after: int = 0
    changes: list[Change] = field(default_factory=list)
    rule_matches: dict[str, int] = field(default_factory=dict)
    matched: dict[str, list[str]] = field(default_factory=dict)


def outcome_of(made: Plan) -> Outcome:
    """Return what people would notice of a plan."""
    chosen = None if made.stopped else made.chosen
    arrival = chosen.arrival if chosen else None
    return Outcome(
        state="left out" if made.leave_out else "held" if made.hold else "open",
        service=chosen.name if chosen else "",
        packaging=parcels_text(made.parcels) if made.parcels else "",
        extras=tuple(sorted(made.extras)),
        price_minor=chosen.quote.net if chosen and chosen.quote else None,
        ship_date=arrival.ship_date if arrival else None,
        arrives=arrival.latest if arrival else None,
        desk=made.desk,
        tags=tuple(sorted(made.tags)),
        snags=tuple(s.words for s in made.snags),
    )


def rehearse(
    session: Session, now: datetime, change: Callable[[Shop], Shop], *, past: bool = False,
    only: Callable[[Shop, Judged], bool] | None = None,
) -> Rehearsal:  # fmt: skip
    """Plan the waiting orders, or those shipped in the last 90 days, as they are and as they would be; store nothing.

    Both plans are made with the same clock, so that only the change makes a difference: waiting orders now, past ones
    on the day they were planned, by the prices of today.  At most ``MOST_REHEARSED`` newest orders are planned;
    waiting orders for which ``only`` says no count with the plan they have.
    """
    clause = (Order.state == "shipped") & (Order.ordered_at > now - PAST) if past else waiting_clause()
    result = Rehearsal(waiting=session.scalar(select(func.count(Order.id)).where(clause)) or 0)
    shop = core_shop(session, now)
    query = select(Order).where(clause)
    if only and not past:
        ids = [row.id for row in judged(session, clause) if only(shop, row) or _counted(result, row)]
        query = select(Order).where(Order.id.in_(ids))
    orders = session.scalars(query.order_by(Order.id.desc()).limit(MOST_REHEARSED)).all()
    both = _at_times(shop, change(shop))
    result.looked_at += len(orders)
    for order, facts in zip(orders, all_facts(session, orders), strict=True):
        before_shop, after_shop = both(order.planned_at if past and order.planned_at else now)
        _compare(result, order, facts, plan(facts, before_shop), plan(facts, after_shop))
    return result


def _counted(result: Rehearsal, row: Judged) -> bool:
    """Count an order that the change cannot touch, with the plan it has; always False."""
    late = bool(row.promise_date and row.arrives and row.arrives > row.promise_date)
    result.looked_at += 1
    result.before_minor += row.price_minor or 0
    result.after_minor += row.price_minor or 0
    result.stopped_before += row.snag_level == "stops"
    result.stopped_after += row.snag_level == "stops"
    result.late_before += late
    result.late_after += late
    _matched(result, row.applied or [], row.number)
    return False


def _compare(result: Rehearsal, order: Order, facts: OrderFacts, was: Plan, becomes: Plan) -> None:
    before, after = outcome_of(was), outcome_of(becomes)
    result.before_minor += before.price_minor or 0
    result.after_minor += after.price_minor or 0
    result.stopped_before += was.stopped
    result.stopped_after += becomes.stopped
    if facts.promise:
        result.late_before += before.arrives is not None and before.arrives > facts.promise
        result.late_after += after.arrives is not None and after.arrives > facts.promise
    _matched(result, becomes.rules, order.number)
    if before != after:
        result.changed += 1
        if len(result.changes) < MOST_SHOWN:
            name = order.address["name"] or order.address["company"]
            result.changes.append(Change(order.id, order.number, name, before, after))


def _matched(result: Rehearsal, rule_ids: Iterable[str], number: str) -> None:
    for rule_id in rule_ids:
        result.rule_matches[rule_id] = result.rule_matches.get(rule_id, 0) + 1
        if len(result.matched.setdefault(rule_id, [])) < 8:
            result.matched[rule_id].append(number)


def _at_times(before: Shop, after: Shop) -> Callable[[datetime], tuple[Shop, Shop]]:
    """Return what gives both shops as of a moment; each moment is made once."""

    @cache
    def both(at: datetime) -> tuple[Shop, Shop]:
        return replace(before, now=at), replace(after, now=at)

    return both


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
        while _chunk(session, work, now):
            pass
    else:
        queue.defer(session, "replan", work_id=work.id)
    return work


def keep_up_due(sessions: sessionmaker[Session], clock: Callable[[], datetime]) -> None:
    """Plan anew what time has made out of date: every waiting order when a day begins, else those whose truck left."""
    with sessions.begin() as session:
        row = session.get(ShopRow, 1, with_for_update=True)
        if row is None:
            return
        today = clock().astimezone(ZoneInfo(row.time_zone)).date()
        new_day, row.planned_on = row.planned_on not in {None, today}, today
        if new_day:
            replan_waiting(session, f"{today:%A %-d %B} began", clock())
    more = True
    while more:
        with sessions.begin() as session:
            orders = session.scalars(
                select(Order).where(waiting_clause(), Order.good_until < clock()).order_by(Order.id).limit(CHUNK)
                .with_for_update(of=Order, skip_locked=True)
            ).all()  # fmt: skip
            more = keep_up(session, orders, clock()) == CHUNK
            if orders:
                tell(session, "orders")


def go_on(sessions: sessionmaker[Session], work_id: int, clock: Callable[[], datetime]) -> None:
    """Go on with a piece of replanning, chunk by chunk, each its own transaction; a killed worker loses one chunk."""
    more = True
    while more:
        with sessions.begin() as session:
            work = session.get(Work, work_id, with_for_update=True)
            more = work is not None and work.state != "done" and _chunk(session, work, clock())
            tell(session, "work")
            if not more:
                tell(session, "orders")


def _chunk(session: Session, work: Work, now: datetime) -> bool:
    scope, shop = Scope.read(work.scope), core_shop(session, now)
    found = _touched(session, work, scope, shop) if scope.rules else _next(session, work, scope)
    changed = int(work.result or 0) if work.result.isdigit() else 0
    if found.labels:
        again, labelled = relabel(session, found.labels, now)
        found.ids += again
        changed += labelled
    orders = session.scalars(
        select(Order)
        .where(scope.clause, Order.id.in_(found.ids))
        .order_by(Order.id)
        .with_for_update(of=Order)
        .options(defer(Order.imported), defer(Order.search), lazyload(Order.channel))
        .execution_options(populate_existing=True)
    ).all()
    changed += plan_orders(session, orders, now, shop)
    work.done += found.looked
    work.result = str(changed)
    if found.looked:
        work.cursor, work.state = found.cursor, "running"
        return True
    work.state, work.total = "done", work.done
    return False


@dataclass(slots=True)
class _Found:
    """The next orders of a piece of work: to plan, or to label only (by id and version of the plan)."""

    cursor: int
    ids: list[int] = field(default_factory=list)
    labels: dict[tuple[int, int], Labels] = field(default_factory=dict)
    looked: int = 0


def _next(session: Session, work: Work, scope: Scope) -> _Found:
    query = select(Order.id).where(scope.clause, Order.id > work.cursor).order_by(Order.id).limit(CHUNK)
    ids = list(session.scalars(query))
    return _Found(max(ids, default=0), ids, looked=len(ids))


def _touched(session: Session, work: Work, scope: Scope, shop: Shop) -> _Found:
    """Find the next orders that a change of rules touches: most it does not, and of many it moves but the labels."""
    change = change_between(*(rules_of(session, version) for version in scope.rules or ()))
    alone, found = _alone(session, work, change), _Found(work.cursor)
    clause = scope.clause & touched_clause(change) & (Order.id > work.cursor)
    for row in judged(session, clause, LOOKED_AT if change.asked else CHUNK):
        found.looked, found.cursor = found.looked + 1, row.id
        if not can_touch(change, shop, row):
            continue
        labels = labels_alone(change, shop, row) if alone else None
        if labels:
            found.labels[row.id, row.plan_version] = labels
        else:
            found.ids.append(row.id)
        if len(found.ids) == CHUNK:
            break
    return found


def _alone(session: Session, work: Work, change: RuleChange) -> bool:
    """Tell whether plans still are what the rules before this change made of them, and nothing newer is in force."""
    earlier = select(Work.id).where(Work.kind == "replan", Work.state != "done", Work.id < work.id).limit(1)
    return rules_in_force(session) == change.after and session.scalar(earlier) is None


def works(session: Session, limit: int = 12) -> Sequence[Work]:
    """Return the newest pieces of background work."""
    return session.scalars(select(Work).order_by(Work.id.desc()).limit(limit)).all()
