"""Baskets that are kept to be tried again: after each change of the offers they say what moved."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import tidy
from tidewind.core.checkout.answering import Answer
from tidewind.core.checkout.written import Checkout
from tidewind.db.tables import CheckoutCase, Order
from tidewind.services.base import Invalid, NotFound, one_at_a_time
from tidewind.services.rates.baskets import BasketAsked, offers_for

MOST_CASES = 30
Seen = list[list[Any]]
"""What a basket was offered: code, name and price in minor units of each line, as it is stored."""


@dataclass(frozen=True, slots=True)
class Moved:
    """An offer's price before and now, in minor units; None where it was not there, or is no more."""

    name: str
    before: int | None
    after: int | None


@dataclass(frozen=True, slots=True)
class CaseTried:
    """A kept basket, and what moved since somebody last looked."""

    id: int
    name: str
    basket: Mapping[str, Any]
    moved: tuple[Moved, ...]


def keep_case(
    session: Session, name: str, basket: Mapping[str, Any], asked: BasketAsked, draft: Checkout, now: datetime
) -> CheckoutCase:
    """Keep a basket under a name, with what a draft offers it now; one of that name is kept anew.

    Raises Invalid where there are too many, or no name.
    """
    plain = tidy(name)[:80]
    if not plain:
        raise Invalid("no_name", "Give the basket a name.")
    one_at_a_time(session, "checkout_case")
    row = session.scalar(select(CheckoutCase).where(CheckoutCase.name == plain))
    if row is None:
        if (session.scalar(select(func.count(CheckoutCase.id))) or 0) >= MOST_CASES:
            raise Invalid("too_many", f"{MOST_CASES} baskets are kept already. Drop one first.")
        row = CheckoutCase(name=plain, basket={}, seen=[])
        session.add(row)
    row.basket, row.seen = dict(basket), _seen(offers_for(session, asked, now, draft).answer)
    session.flush()
    return row


def drop_case(session: Session, case_id: int) -> None:
    """Keep a basket no longer.  Raises NotFound."""
    row = session.get(CheckoutCase, case_id)
    if row is None:
        raise NotFound("unknown_case", "There is no such basket.")
    session.delete(row)


def all_cases(session: Session) -> Sequence[CheckoutCase]:
    """Return every basket that is kept, by name."""
    return session.scalars(select(CheckoutCase).order_by(CheckoutCase.name)).all()


def run_case(session: Session, case: CheckoutCase, asked: BasketAsked, draft: Checkout, now: datetime) -> CaseTried:
    """Return what a draft would change for a kept basket."""
    seen = _seen(offers_for(session, asked, now, draft).answer)
    return CaseTried(case.id, case.name, case.basket, tuple(_moved(case.seen, seen)))


def _seen(answer: Answer) -> Seen:
    return [[line.code, line.name, line.price] for line in answer.offered]


def _moved(before: Seen, after: Seen) -> list[Moved]:
    """Return what is gone, new, dearer or cheaper, each offer once, in the order of what was."""
    now, was = {code: price for code, _, price in after}, {code for code, _, _ in before}
    changed = [Moved(name, price, now.get(code)) for code, name, price in before if now.get(code) != price]
    return changed + [Moved(name, None, price) for code, name, price in after if code not in was]


def basket_of_order(session: Session, number: str) -> BasketAsked:
    """Return the basket of an order, as its shopper had it.  Raises NotFound."""
    order = session.scalars(select(Order).where(Order.number == number.strip()).order_by(Order.id.desc())).first()
    if order is None:
        raise NotFound("unknown_order", f"There is no order {number.strip()[:60]}.")
    lines = tuple((line.sku, line.quantity, line.unit_price_minor) for line in order.lines)
    to = order.address
    return BasketAsked(lines, to.country, to.postcode, "", to.region, channel=order.channel.code, home=order.home)
