"""Plan orders: load what is needed once, ask the core, store plan and snags."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import func, inspect, select, tuple_
from sqlalchemy.orm import Session
from sqlalchemy.orm.attributes import set_committed_value

from tidewind.core.checkout.sold import sold_from
from tidewind.core.destinations import destination_group
from tidewind.core.insuring import premium_in
from tidewind.core.options import Option
from tidewind.core.order_facts import OrderFacts, Shop
from tidewind.core.packing import PackedParcel
from tidewind.core.plan import Plan
from tidewind.core.planning import plan_many
from tidewind.core.rules.facts import written_facts
from tidewind.core.states.orders import OrderMove, OrderStanding
from tidewind.core.stored import StoredLine, StoredParcel, StoredPlan, StoredQuote, write_plan
from tidewind.core.tariffs.quote import Quote, explain
from tidewind.db.bulk import Columns, write_changed
from tidewind.db.tables import Order, SnagRow
from tidewind.services.base import lock_orders, standing_after
from tidewind.services.planning.facts import all_facts
from tidewind.services.planning.records import HELD_AS, PLANNED, OrderRecord, SnagRecord
from tidewind.services.planning.shop_facts import core_shop


def is_waiting(order: Order | OrderRecord) -> bool:
    """Tell whether an order is planned: open, or kept back by a rule that may change its mind."""
    return (order.state, order.state_by) in OrderStanding.WAITS


def plan_orders(session: Session, orders: Sequence[Order], now: datetime, shop: Shop | None = None) -> int:
    """Plan the waiting orders among ``orders`` anew and store plan and snags; return how many plans are different.

    What is bought is left alone.  ``shop`` saves loading it again for many calls of one piece of work.
    """
    waiting = [order for order in orders if is_waiting(order)]
    if not waiting:
        return 0
    changed, written = 0, []
    columns: set[str] = set()
    for order, planned in zip(waiting, _planned(session, waiting, now, shop), strict=True):
        before = noticed(order, order.plan)
        _put(order, planned)
        if planned.values and inspect(order).persistent:
            written.append(order)
            columns |= planned.values.keys()
        changed += noticed(order, order.plan) != before
    write_changed(session, written, [name for name in PLANNED if name in columns])
    return changed


class PlannedRecords(NamedTuple):
    """Records planned anew: how many people would notice, those to be written, and which columns of them."""

    changed: int
    written: list[OrderRecord]
    columns: set[str]


def plan_records(
    session: Session, records: Sequence[OrderRecord], now: datetime, shop: Shop | None = None
) -> PlannedRecords:
    """Plan records anew, all of orders that wait; nothing is written."""
    changed, written = 0, []
    columns: set[str] = set()
    for record, planned in zip(records, _planned(session, records, now, shop), strict=True):
        if not planned.values and planned.snags is None:
            continue
        before = noticed(record, record.plan)
        for name, value in planned.values.items():
            setattr(record, HELD_AS.get(name, name), value)
        if planned.snags is not None:
            record.snags = planned.snags
        written.append(record)
        columns |= planned.values.keys()
        changed += noticed(record, planned.plan) != before
    return PlannedRecords(changed, written, columns)


class Planned(NamedTuple):
    """An order's plan, and what is different after planning: columns, and its snags where they are others.

    Of a record the column ``plan`` is in its written form.
    """

    plan: StoredPlan
    values: Columns
    snags: list[SnagRecord] | None


def _planned(
    session: Session, orders: Sequence[Order] | Sequence[OrderRecord], now: datetime, shop: Shop | None
) -> Iterator[Planned]:
    shop = shop or core_shop(session, now)
    all_of_them = all_facts(session, orders)
    each: Iterable[Order | OrderRecord] = orders
    for order, facts, made in zip(each, all_of_them, plan_many(all_of_them, shop), strict=True):
        yield _different(order, facts, made, shop, now)


def _different(order: Order | OrderRecord, facts: OrderFacts, made: Plan, shop: Shop, now: datetime) -> Planned:
    chosen = None if made.stopped else made.chosen
    plan, values = stored_plan(made, chosen), _values(order, facts, made, chosen, shop)
    snags = [SnagRecord(s.code, s.level, s.words[:500], s.fix, s.about[:120]) for s in made.snags]
    others = snags != [(s.code, s.level, s.words, s.fix, s.about) for s in order.snags]
    different = {name: value for name, value in values.items() if getattr(order, name) != value}
    if isinstance(order, OrderRecord):
        written = write_plan(plan)
        if not order.keeps(plan, written):
            different["plan"] = written
    elif order.plan != plan:
        different["plan"] = plan
    if others or "plan" in different or order.planned_at is None:
        different["plan_version"], different["planned_at"] = order.plan_version + 1, now
    return Planned(plan, different, snags if others else None)


def _put(order: Order, planned: Planned) -> None:
    """Set what is different on a mapped order."""
    if planned.snags is not None:
        order.snags = [SnagRow(**snag._asdict()) for snag in planned.snags]
    # What is in the database already is written by ``plan_orders``: the mapper need not look for changes there.
    put = set_committed_value if inspect(order).persistent else setattr
    for name, value in planned.values.items():
        put(order, name, value)


def noticed(order: Order | OrderRecord, made: StoredPlan) -> tuple[Any, ...]:
    """Return what people would notice of an order and its plan, to tell whether it changed."""
    parcels = [(p.packaging, p.gross_g) for p in made.parcels]
    chosen = (order.service, order.price_minor, order.ship_date, made.extras, made.value_minor)
    return (order.state, chosen, parcels, order.desk, list(order.plan_tags), order.snag_level)


def keep_up(session: Session, orders: Sequence[Order], now: datetime) -> int:
    """Plan those orders anew whose plan is out of date by now, since a truck has left; return how many; locks them."""
    due = [order.id for order in orders if order.good_until and order.good_until < now and is_waiting(order)]
    if due:
        plan_orders(session, lock_orders(session, due), now)
    return len(due)


def waiting_clause() -> Any:
    """Return the condition for orders that ``is_waiting``."""
    return tuple_(Order.state, Order.state_by).in_(sorted(OrderStanding.WAITS))


def _values(order: Order | OrderRecord, facts: OrderFacts, made: Plan, chosen: Option | None, shop: Shop) -> Columns:
    """Return what a plan says in the columns of ``PLANNED`` beside itself and its version."""
    arrival = chosen.arrival if chosen else None
    return {
        "carrier": chosen.carrier if chosen else None,
        "service": chosen.service if chosen else None,
        "network": chosen.network if chosen else None,
        "price_minor": chosen.quote.net if chosen and chosen.quote else None,
        "ship_date": arrival.ship_date if arrival else None,
        "arrives": arrival.latest if arrival else None,
        "parcel_count": len(made.parcels),
        "desk": made.desk[:60],
        "plan_tags": sorted(made.tags),
        "basket": facts.basket,
        "destination": destination_group(facts.address, shop.origin),
        "promise_linked": not facts.promise_text or stands_for_something(facts, shop),
        "snag_level": min((s.level for s in made.snags), default=""),
        "rule_facts": written_facts(made.facts),
        "good_until": made.good_until,
        **_kept_back(order, made),
    }


def stands_for_something(facts: OrderFacts, shop: Shop) -> bool:
    """Tell whether what a buyer chose is known here: by a link, or since it was sold by an offer of ours."""
    return facts.promise_text in shop.promise_links or sold_from(facts.sold_as) is not None


def stored_plan(made: Plan, chosen: Option | None) -> StoredPlan:
    """Return a plan as it is kept."""
    settled = made.settled
    return StoredPlan(
        parcels=tuple(map(stored_parcel, made.parcels)),
        service_name=chosen.name if chosen else None,
        quote=stored_quote(chosen) if chosen and chosen.quote else None,
        extras=tuple(sorted(made.extras)),
        value_minor=made.value,
        rules=tuple(made.rules),
        trail={name: tuple(steps) for name, steps in made.trail.items()},
        not_before=settled.not_before if settled else None,
        box=settled.box.code if settled and settled.box else "",
        divided=bool(settled and settled.divided),
    )


def _kept_back(order: Order | OrderRecord, made: Plan) -> dict[str, str]:
    """Return the order's state where a rule keeps it back, or lets it go again."""
    if made.leave_out:
        return standing_after(order, OrderMove.RULE_LEAVES_OUT, made.leave_out)
    if made.hold:
        return standing_after(order, OrderMove.RULE_HOLDS, made.hold)
    return standing_after(order, OrderMove.RULE_LETS_GO) if order.state_by == "rule" else {}


def stored_parcel(parcel: PackedParcel) -> StoredParcel:
    """Return a packed parcel as it is kept and shown."""
    packaging, outer = parcel.packaging, parcel.outer
    return StoredParcel(
        packaging=packaging.code if packaging else None,
        carrier_box=bool(packaging and packaging.carrier),
        name=packaging.name if packaging else "Own carton",
        contents=tuple((int(line), count) for line, count in parcel.contents),
        goods_g=parcel.goods_g,
        packaging_g=parcel.packaging_g,
        padding_g=parcel.padding_g,
        gross_g=parcel.gross_g,
        sides_mm=(outer.longest, outer.middle, outer.shortest),
        fill_percent=parcel.fill_percent,
    )


def stored_quote(option: Option) -> StoredQuote:
    """Return an option's quote with every line explained, as it is kept and shown.  Raises ValueError without one."""
    quote = option.quote
    if not isinstance(quote, Quote):
        raise ValueError(f"{option.service} has no quote")
    return StoredQuote(
        zone=quote.zone,
        billable_g=quote.billable_g,
        net_minor=quote.net,
        tax_minor=quote.tax,
        total_minor=quote.total,
        published_net_minor=option.published_net,
        account=quote.account,
        premium_minor=premium_in(quote),
        lines=tuple(
            StoredLine(ln.code, ln.name, ln.amount, ln.parcel, explain(ln, quote.currency)) for ln in quote.lines
        ),
    )


def count_waiting(session: Session) -> int:
    """Return how many orders are planned, whether open or kept back by a rule."""
    return session.scalar(select(func.count(Order.id)).where(waiting_clause())) or 0
