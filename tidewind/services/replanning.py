"""A change to a layer: say beforehand what it would change, then plan the waiting orders anew in the background."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from functools import cache

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.order_facts import Shop
from tidewind.core.parcels import parcels_text
from tidewind.core.planning import Plan, plan
from tidewind.db.tables import Order, Work
from tidewind.services.live import tell
from tidewind.services.planning import all_facts, plan_orders, waiting_clause
from tidewind.services.queue import defer
from tidewind.services.shop_facts import core_shop

PAST = timedelta(days=90)
AT_ONCE, CHUNK, MOST_REHEARSED, MOST_SHOWN = 300, 250, 2_000, 60


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


def rehearse(session: Session, now: datetime, change: Callable[[Shop], Shop], *, past: bool = False) -> Rehearsal:
    """Plan the waiting orders, or those shipped in the last 90 days, as they are and as they would be; store nothing.

    Both plans are made with the same clock, so that only the change makes a difference: waiting orders now, past ones
    on the day they were planned, by the prices of today.  At most ``MOST_REHEARSED`` newest orders.
    """
    clause = (Order.state == "shipped") & (Order.ordered_at > now - PAST) if past else waiting_clause()
    result = Rehearsal(waiting=session.scalar(select(func.count(Order.id)).where(clause)) or 0)
    orders = session.scalars(select(Order).where(clause).order_by(Order.id.desc()).limit(MOST_REHEARSED)).all()
    shop = core_shop(session, now)
    both = _at_times(shop, change(shop))
    result.looked_at = len(orders)
    for order, facts in zip(orders, all_facts(session, orders), strict=True):
        before_shop, after_shop = both(order.planned_at if past and order.planned_at else now)
        was, becomes = plan(facts, before_shop), plan(facts, after_shop)
        before, after = outcome_of(was), outcome_of(becomes)
        result.before_minor += before.price_minor or 0
        result.after_minor += after.price_minor or 0
        result.stopped_before += was.stopped
        result.stopped_after += becomes.stopped
        if facts.promise:
            result.late_before += before.arrives is not None and before.arrives > facts.promise
            result.late_after += after.arrives is not None and after.arrives > facts.promise
        for rule_id in becomes.rules:
            result.rule_matches[rule_id] = result.rule_matches.get(rule_id, 0) + 1
            if len(result.matched.setdefault(rule_id, [])) < 8:
                result.matched[rule_id].append(order.number)
        if before != after:
            result.changed += 1
            if len(result.changes) < MOST_SHOWN:
                name = order.address["name"] or order.address["company"]
                result.changes.append(Change(order.id, order.number, name, before, after))
    return result


def _at_times(before: Shop, after: Shop) -> Callable[[datetime], tuple[Shop, Shop]]:
    """Return what gives both shops as of a moment; each moment is made once."""

    @cache
    def both(at: datetime) -> tuple[Shop, Shop]:
        return replace(before, now=at), replace(after, now=at)

    return both


def replan_waiting(session: Session, words: str, now: datetime) -> Work:
    """Plan all waiting orders anew: at once where they are few, else in the background; return how far it is.

    Hand edits are a layer of their own and stay.
    """
    session.flush()
    total = session.scalar(select(func.count(Order.id)).where(waiting_clause())) or 0
    work = Work(kind="replan", words=words[:200], total=total, state="waiting", done=0, cursor=0)
    session.add(work)
    session.flush()
    if total <= AT_ONCE:
        while _chunk(session, work, now):
            pass
    else:
        defer(session, "replan", work_id=work.id)
    return work


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
    orders = session.scalars(
        select(Order)
        .where(waiting_clause(), Order.id > work.cursor)
        .order_by(Order.id)
        .limit(CHUNK)
        .with_for_update(of=Order)
        .execution_options(populate_existing=True)
    ).all()
    changed = int(work.result or 0) if work.result.isdigit() else 0
    changed += plan_orders(session, orders, now)
    work.done += len(orders)
    work.result = str(changed)
    if orders:
        work.cursor, work.state = orders[-1].id, "running"
        return True
    work.state, work.total = "done", work.done
    return False


def works(session: Session, limit: int = 12) -> Sequence[Work]:
    """Return the newest pieces of background work."""
    return session.scalars(select(Work).order_by(Work.id.desc()).limit(limit)).all()
