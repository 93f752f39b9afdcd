"""Many orders by every service at once: totals worked out over columns."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.choosing import Choosable, Policy, pick
from tidewind.core.options import Settled, options_for, settle
from tidewind.core.order_facts import Carrier, OrderFacts, Shop
from tidewind.core.packing import PackedParcel
from tidewind.core.parcels import units_of
from tidewind.core.planning import plan
from tidewind.core.price_tables import price_table
from tidewind.core.quantities import Size
from tidewind.core.stored import StoredParcel
from tidewind.core.tariffs.card import Service
from tidewind.core.tariffs.totals import REFUSED
from tidewind.db.tables import Order
from tidewind.services.base import MOST_ORDERS, Invalid
from tidewind.services.planning import all_facts, core_shop


@dataclass(slots=True)
class MatrixRow:
    """One order across all services: net price in minor units and latest day, None where it is refused."""

    order: Order
    chosen: str | None
    by_hand: str | None
    prices: list[int | None]
    arrives: list[date | None]
    picks: dict[str, str] = field(default_factory=dict)


@dataclass(slots=True)
class Matrix:
    """Orders × services."""

    services: list[tuple[Carrier, Service]]
    rows: list[MatrixRow]
    policy: Policy


def price_matrix(session: Session, order_ids: Sequence[int], now: datetime) -> Matrix:
    """Return the totals of waiting orders by every service; those that a snag stops are left out.

    Prices come from the vectorised computation, live services from what their carriers have answered.
    """
    if len(order_ids) > MOST_ORDERS:
        raise Invalid("too_many", f"Compare at most {MOST_ORDERS:,} orders at once.")
    found = session.scalars(
        select(Order).where(Order.id.in_(order_ids), Order.state == "open").order_by(Order.id)
    ).all()
    shop = core_shop(session, now)
    usable = [order for order in found if order.plan.parcels and not _stopped(order)]
    waiting = list(zip(usable, all_facts(session, usable), strict=True))
    all_settled = [_settled_of(order, facts, shop) for order, facts in waiting]
    rows = [MatrixRow(order, order.service, order.hand.service, [], []) for order, _ in waiting]
    orders = [facts for _, facts in waiting]
    table = price_table(orders, shop, all_settled)
    services = list(table.services)
    for row, prices, days in zip(rows, table.net.tolist(), table.latest.tolist(), strict=True):
        row.prices = [None if net == REFUSED else net for net in prices]
        row.arrives = [None if net == REFUSED else date.fromordinal(day) for net, day in zip(prices, days, strict=True)]
    for row, (_, facts), settled in zip(rows, waiting, all_settled, strict=True):
        if facts.hand.account:
            _by_itself(row, services, facts, shop, settled)
        row.picks = _picks(row, services, facts, shop)
    return Matrix(services, rows, shop.policy)


def _by_itself(
    row: MatrixRow, services: Sequence[tuple[Carrier, Service]], facts: OrderFacts, shop: Shop, settled: Settled
) -> None:
    """Price an order that is bound to one account: the columns hold the cheapest of all."""
    options = {o.service: o for o in options_for(facts, shop.on_account(facts.hand.account), settled)}
    mine = [options.get(service.code) for _, service in services]
    row.prices = [o.quote.net if o and o.quote else None for o in mine]
    row.arrives = [o.arrival.latest if o and o.arrival else None for o in mine]


def _stopped(order: Order) -> bool:
    """Tell whether a snag keeps an order from having a price; a choice of service that cannot be does not."""
    return any(snag.level == "stops" and snag.fix not in {"service", "approve"} for snag in order.snags)


def _settled_of(order: Order, facts: OrderFacts, shop: Shop) -> Settled:
    """Return the shipment a plan has made; planned again only where it lies in a carrier's own packaging."""
    if any(p.carrier_box for p in order.plan.parcels) or order.hand.parcels:
        again = plan(facts, shop).settled
        if again:
            return again
    parcels = tuple(_parcel_of(p, shop) for p in order.plan.parcels)
    # What nobody has measured must not be left out: a carrier's box would seem to hold the rest of it.
    units = units_of([ln for ln in facts.lines if ln.weight_g and (ln.sides or not ln.own_box)])
    made = order.plan
    box, extras = shop.boxes.get(made.box), frozenset(made.extras)
    return settle(facts, shop, parcels, extras, made.value_minor, units, made.not_before, box, made.divided)


def _parcel_of(stored: StoredParcel, shop: Shop) -> PackedParcel:
    return PackedParcel(
        packaging=shop.boxes.get(stored.packaging or ""),
        contents=tuple((str(line), count) for line, count in stored.contents),
        goods_g=stored.goods_g,
        packaging_g=stored.packaging_g,
        padding_g=stored.padding_g,
        outer=Size.of(*stored.sides_mm),
        fill_percent=stored.fill_percent,
    )


def _picks(
    row: MatrixRow, services: Sequence[tuple[Carrier, Service]], facts: OrderFacts, shop: Shop
) -> dict[str, str]:
    """Return what each policy would pick for an order."""
    choosable = [
        Choosable(service.code, price, day, shop.late_bp(service.code, carrier.code))
        for (carrier, service), price, day in zip(services, row.prices, row.arrives, strict=True)
        if price is not None and day is not None and not service.approval
    ]
    policies = [policy for policy in Policy if shop.ranking or policy is not Policy.RANKING]
    found = {policy: pick(choosable, policy, facts.promise, shop.values, shop.ranking) for policy in policies}
    return {policy.value: one.key for policy, one in found.items() if one}
