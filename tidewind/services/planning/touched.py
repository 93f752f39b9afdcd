"""Which waiting orders a change can touch, so that the others keep the plan they have."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Text, select, true
from sqlalchemy.dialects.postgresql import array
from sqlalchemy.orm import Session

from tidewind.core.order_facts import Shop
from tidewind.core.rules.evaluate import Labels
from tidewind.core.rules.facts import WEEKDAYS, Facts, read_facts
from tidewind.core.rules.touching import RuleChange
from tidewind.db.tables import Order
from tidewind.services.planning.plans import waiting_clause


@dataclass(frozen=True, slots=True)
class Scope:
    """A change between two versions of the rules, or of what one promise is linked to; neither: any order."""

    rules: tuple[int, int] | None = None
    promise: str | None = None

    @property
    def clause(self) -> ColumnElement[bool]:
        """The condition for the orders to look at."""
        waiting: ColumnElement[bool] = waiting_clause()
        return waiting if self.promise is None else waiting & (Order.promise == self.promise)

    @property
    def written(self) -> dict[str, Any]:
        """The scope as JSON values."""
        return {"rules": list(self.rules) if self.rules else None, "promise": self.promise}

    @classmethod
    def read(cls, written: dict[str, Any]) -> Scope:
        """Return the scope from what ``written`` gave."""
        rules = written.get("rules")
        return cls((rules[0], rules[1]) if rules else None, written.get("promise"))


class Judged(NamedTuple):
    """What is read of an order to judge whether a change touches it; sizes as in the tables."""

    id: int
    number: str
    rule_facts: dict[str, Any]
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
