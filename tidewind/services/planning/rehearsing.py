"""A rehearsal: what a change to a layer would do to orders, said before it is made; nothing is stored."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from functools import cache

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.order_facts import OrderFacts, Shop
from tidewind.core.parcels import parcels_text
from tidewind.core.plan import Plan
from tidewind.core.planning import plan
from tidewind.db.tables import Order
from tidewind.services.planning.facts import all_facts
from tidewind.services.planning.plans import waiting_clause
from tidewind.services.planning.shop_facts import core_shop
from tidewind.services.planning.touched import Judged, read_judged

PAST = timedelta(days=90)
MOST_REHEARSED, MOST_SHOWN = 2_000, 60


@dataclass(frozen=True, slots=True)
class PlanSeen:
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
    before: PlanSeen
    after: PlanSeen


@dataclass(slots=True)
class Rehearsal:
    """What a change would do to orders; ``looked_at`` of ``waiting`` were tried; late ones miss their promise.

    The sums are of the orders that have a price both before and after, so that they differ by what the change does to
    prices; ``stops_anew`` and ``goes_anew`` name orders that would have none any more, or one at last.
    """

    waiting: int = 0
    looked_at: int = 0
    changed: int = 0
    before_minor: int = 0
    after_minor: int = 0
    stopped_before: int = 0
    stopped_after: int = 0
    late_before: int = 0
    late_after: int = 0
    stops_anew: list[str] = field(default_factory=list)
    goes_anew: list[str] = field(default_factory=list)
    changes: list[Change] = field(default_factory=list)
    rule_matches: dict[str, int] = field(default_factory=dict)
    matched: dict[str, list[str]] = field(default_factory=dict)


def plan_seen(made: Plan) -> PlanSeen:
    """Return what people would notice of a plan."""
    chosen = None if made.stopped else made.chosen
    arrival = chosen.arrival if chosen else None
    return PlanSeen(
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
    session: Session,
    now: datetime,
    change: Callable[[Shop], Shop],
    *,
    past: bool = False,
    only: Callable[[Shop, Judged], bool] | None = None,
) -> Rehearsal:
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
        ids = [row.id for row in read_judged(session, clause) if only(shop, row) or _counted(result, row)]
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
    before, after = plan_seen(was), plan_seen(becomes)
    if before.price_minor is not None and after.price_minor is not None:
        result.before_minor += before.price_minor
        result.after_minor += after.price_minor
    elif before.price_minor is not None:
        result.stops_anew.append(order.number)
    elif after.price_minor is not None:
        result.goes_anew.append(order.number)
    result.stopped_before += was.stopped
    result.stopped_after += becomes.stopped
    if facts.promise:
        result.late_before += before.arrives is not None and before.arrives > facts.promise
        result.late_after += after.arrives is not None and after.arrives > facts.promise
    _matched(result, becomes.rules, order.number)
    if before != after:
        result.changed += 1
        if len(result.changes) < MOST_SHOWN:
            name = order.address.name or order.address.company
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
