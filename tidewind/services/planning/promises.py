"""Promise links: what a delivery that buyers chose at the checkout stands for."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import tidy
from tidewind.core.order_facts import Shop
from tidewind.db.tables import Order, PromiseLink, RecipeRow, Work
from tidewind.services.base import Invalid, NotFound
from tidewind.services.planning.plans import waiting_clause
from tidewind.services.planning.rehearsing import Rehearsal, rehearse
from tidewind.services.planning.replanning import replan_waiting
from tidewind.services.planning.touched import Scope

# --- promise links -----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Promise:
    """A promise text: its recipe (None while unlinked), and how many waiting orders carry it."""

    promise: str
    recipe: str | None
    waiting: int


def all_promises(session: Session) -> list[Promise]:
    """Return every promise text that is linked or that a waiting order carries, unlinked ones first."""
    linked = {link.promise: link.recipe for link in session.scalars(select(PromiseLink))}
    rows = session.execute(
        select(Order.promise, func.count()).where(waiting_clause(), Order.promise != "").group_by(Order.promise)
    ).all()
    waiting: dict[str, int] = {promise: count for promise, count in rows}  # noqa: C416 - rows, not pairs
    found = [Promise(p, linked.get(p), waiting.get(p, 0)) for p in {*linked, *waiting}]
    return sorted(found, key=lambda p: (p.recipe is not None, -p.waiting, p.promise))


def link_promise(session: Session, promise: str, recipe: str | None, now: datetime) -> Work:
    """Link a promise text to a recipe, or unlink it with None; the waiting orders follow.  Raises NotFound."""
    plain = tidy(promise)[:120]
    if not plain:
        raise Invalid("no_promise", "The text of the promise is empty.")
    if recipe is not None and session.scalar(select(RecipeRow.id).where(RecipeRow.code == recipe)) is None:
        raise NotFound("unknown_recipe", f"There is no recipe “{recipe}”.")
    row = session.scalar(select(PromiseLink).where(PromiseLink.promise == plain).with_for_update())
    if recipe is None:
        if row:
            session.delete(row)
    elif row:
        row.recipe = recipe
    else:
        session.add(PromiseLink(promise=plain, recipe=recipe))
    words = f"Promise “{plain}” was {'linked' if recipe else 'unlinked'}"
    return replan_waiting(session, words, now, Scope(promise=plain))


def rehearse_link(
    session: Session, promise: str, recipe: str | None, now: datetime, *, past: bool = False
) -> Rehearsal:
    """Return what linking a promise would do to the waiting orders, or to those of the last 90 days."""

    def change(shop: Shop) -> Shop:
        links = {p: r for p, r in shop.promise_links.items() if p != promise}
        return replace(shop, promise_links={**links, promise: recipe} if recipe else links)

    return rehearse(session, now, change, past=past)
