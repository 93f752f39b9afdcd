"""Which waiting orders a change can touch, so that the others keep the plan they have."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import NamedTuple

from sqlalchemy import ColumnElement, Text, select, true
from sqlalchemy.dialects.postgresql import array
from sqlalchemy.orm import Session

from tidewind.core.order_facts import Shop
from tidewind.core.rules.evaluate import Labels
from tidewind.core.rules.facts import WEEKDAYS, Facts, read_facts
from tidewind.core.rules.touching import RuleChange
from tidewind.core.written import Written
from tidewind.db.tables import Order, OrderLine
from tidewind.services.planning.plans import waiting_clause


@dataclass(frozen=True, slots=True)
class Scope:
    """Which waiting orders a change can concern; none of these said: all of them.

    ``rules``: a change between two versions of the rules; ``promise``: what one text is linked to; ``skus``: products;
    ``orders``: these by their ids.
    """

    rules: tuple[int, int] | None = None
    promise: str | None = None
    skus: tuple[str, ...] = ()
    orders: tuple[int, ...] = ()

    @property
    def clause(self) -> ColumnElement[bool]:
        """The condition for the orders to look at."""
        found: ColumnElement[bool] = waiting_clause()
        if self.promise is not None:
            found &= Order.promise == self.promise
        if self.skus:
            found &= Order.id.in_(select(OrderLine.order_id).where(OrderLine.sku.in_(self.skus)))
        if self.orders:
            found &= Order.id.in_(self.orders)
        return found

    @property
    def narrow(self) -> bool:
        """Whether the orders it names are all concerned for certain, so that their plans are out of date at once."""
        return bool(self.skus or self.orders)

    @property
    def written(self) -> Written:
        """The scope as JSON values."""
        rules = list(self.rules) if self.rules else None
        return {"rules": rules, "promise": self.promise, "skus": list(self.skus), "orders": list(self.orders)}

    @classmethod
    def read(cls, written: Written) -> Scope:
        """Return the scope from what ``written`` gave."""
        rules = written.get("rules")
        return cls(
            (rules[0], rules[1]) if rules else None,
            written.get("promise"),
            tuple(written.get("skus", ())),
            tuple(written.get("orders", ())),
        )


class Judged(NamedTuple):
    """What is read of an order to judge whether a change touches it; sizes as in the tables."""

    id: int
    number: str
    rule_facts: Written
    applied: list[str] | None
    price_minor: int | None
    arrives: date | None
    promise_date: date | None
    snag_level: str
    plan_version: int


def read_judged(session: Session, clause: ColumnElement[bool], limit: int | None = None) -> list[Judged]:
    """Return what is needed to judge orders, by id."""
    columns = (
        Order.id, Order.number, Order.rule_facts, Order.plan["rules"], Order.price_minor, Order.arrives,
        Order.promise_date, Order.snag_level, Order.plan_version,
    )  # fmt: skip
    return [Judged(*row) for row in session.execute(select(*columns).where(clause).order_by(Order.id).limit(limit))]


def touched_clause(change: RuleChange) -> ColumnElement[bool]:
    """Return a condition for all orders that a change of rules can touch; for others too where only facts can tell."""
    if change.asked:
        return true()
    held: ColumnElement[bool] = Order.plan["rules"].op("?|", is_comparison=True)(array(sorted(change.gone), type_=Text))
    return held | (Order.rule_facts == {})


def can_touch(change: RuleChange, shop: Shop, row: Judged) -> bool:
    """Tell whether a change of the rules can touch an order; one that was never planned always is."""
    return not row.rule_facts or change.touches(row.applied or (), _facts_now(row, shop))


def labels_alone(change: RuleChange, shop: Shop, row: Judged) -> Labels | None:
    """Return the labels a change gives an order that gets nothing else from it; None where it must be planned."""
    return change.labels(row.applied or (), _facts_now(row, shop)) if row.rule_facts else None


def _facts_now(row: Judged, shop: Shop) -> Facts:
    local = shop.local
    return read_facts(row.rule_facts, WEEKDAYS[local.weekday()], f"{local:%H:%M}")
