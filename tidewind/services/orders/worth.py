"""What goods in another currency are worth in the shop's: said by a person, never worked out by the program alone."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import asdict
from datetime import datetime

from sqlalchemy.orm import Session

from tidewind.core.order_facts import Worth, at_same_rate
from tidewind.db.tables import Order
from tidewind.services.base import Invalid
from tidewind.services.orders.one_order import all_editable, set_by_hand
from tidewind.services.planning import Scope, all_facts, replan_some


def say_worth(
    session: Session, order_id: int, minor: int, also: Collection[int], who: str, now: datetime
) -> tuple[list[Order], list[Order]]:
    """Say what an order's goods are worth, in minor units of the shop's currency; then plan again.

    Other orders (``also``) of the same currency that nobody has said it of get theirs at the same rate.  Returns the
    orders that know it now, and those of ``also`` that do not: another currency, or goods without a price.
    Raises Invalid for an order in the shop's currency, NotFound, and Conflict where one cannot be changed.
    """
    orders = {order.id: order for order in all_editable(session, {order_id, *also})}
    first = orders[order_id]
    if not first.currency:
        raise Invalid("own_currency", "These goods are priced in the shop's currency; that is what they are worth.")
    facts = dict(zip(orders, all_facts(session, list(orders.values())), strict=True))
    said = Worth(minor, facts[order_id].goods_minor, first.currency)
    known: dict[int, Worth] = {order_id: said}
    for other, one in facts.items():
        if other == order_id or one.currency != first.currency or not one.asks_worth:
            continue
        if (share := at_same_rate(said, one.goods_minor)) is not None:
            known[other] = share
    for one_id, worth in known.items():
        set_by_hand(session, orders[one_id], {"worth": asdict(worth)}, who, now)
    replan_some(session, f"{who} said what goods are worth", now, Scope(orders=tuple(known)))
    return [orders[n] for n in known], [order for n, order in orders.items() if n not in known]
