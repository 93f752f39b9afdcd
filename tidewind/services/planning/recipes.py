"""Recipes: named combinations of service, packaging and extras."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import tidy
from tidewind.db.tables import Order, Product, PromiseLink, RecipeRow
from tidewind.services.base import Conflict, Invalid
from tidewind.services.planning.choices import all_choices
from tidewind.services.planning.replanning import replan_waiting
from tidewind.services.planning.rules import current_rules, read_or_refuse

# --- recipes -----------------------------------------------------------------------------------------------------


def all_recipes(session: Session) -> Sequence[RecipeRow]:
    """Return all recipes: those that were put in order first, then by name; the first nine have a key."""
    return session.scalars(select(RecipeRow).order_by(RecipeRow.place == 0, RecipeRow.place, RecipeRow.name)).all()


def order_recipes(session: Session, codes: Sequence[str]) -> Sequence[RecipeRow]:
    """Put recipes in order; what is not named comes behind.  Raises Invalid for one that does not exist."""
    rows = {row.code: row for row in all_recipes(session)}
    if set(codes) - rows.keys():
        raise Invalid("unknown_recipe", "One of these recipes does not exist.")
    for row in rows.values():
        row.place = codes.index(row.code) + 1 if row.code in codes else 0
    session.flush()
    return all_recipes(session)


def save_recipe(
    session: Session,
    code: str | None,
    name: str,
    service: str | None,
    packaging: str | None,
    extras: Sequence[str],
    now: datetime,
) -> RecipeRow:
    """Add a recipe, or change the one with ``code``; waiting orders follow.

    Raises Invalid for something it names that does not exist, Conflict for a name that is taken.
    """
    known = all_choices(session, now)
    named = [(service, known.services), (packaging, known.packagings), *((e, known.extras) for e in extras)]
    wrong = next((given for given, there in named if given and given not in there), None)
    if wrong:
        raise Invalid("unknown_part", f"There is no service, packaging or extra “{wrong}”.")
    row = session.scalar(select(RecipeRow).where(RecipeRow.code == code)) if code else None
    plain = tidy(name)[:80]
    taken = session.scalar(select(RecipeRow.code).where(RecipeRow.name == plain))
    if not plain or (taken and (row is None or taken != row.code)):
        raise Conflict("name_taken", f"There is already a recipe called “{plain}”." if plain else "Give it a name.")
    if row is None:
        row = RecipeRow(code=code or _free_code(session, plain))
        session.add(row)
    row.name, row.service, row.packaging, row.extras = plain, service, packaging, sorted(set(extras))
    session.flush()
    replan_waiting(session, f"Recipe “{plain}” was changed", now)
    return row


def _free_code(session: Session, name: str) -> str:
    base = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:32] or "recipe"
    taken = set(session.scalars(select(RecipeRow.code).where(RecipeRow.code.startswith(base))))
    return next(c for c in (base, *(f"{base}-{n}" for n in range(2, 10_000))) if c not in taken)


def recipe_from_order(session: Session, order: Order, name: str, now: datetime) -> RecipeRow:
    """Make a recipe of how an order goes, or went.  Raises Invalid while it has no service."""
    if not order.service:
        raise Invalid("no_service", "This order has no service yet, so there is nothing to make a recipe of.")
    parcels = order.plan.parcels
    packaging = parcels[0].packaging if len(parcels) == 1 else None
    return save_recipe(session, None, name, order.service, packaging, order.plan.extras, now)


def remove_recipe(session: Session, code: str) -> None:
    """Remove a recipe.  Raises Conflict while a rule, a promise link or a product uses it."""
    users = [
        *(f"promise “{p}”" for p in session.scalars(select(PromiseLink.promise).where(PromiseLink.recipe == code))),
        *(f"product {sku}" for sku in session.scalars(select(Product.sku).where(Product.recipe == code).limit(3))),
        *(
            f"rule “{r.name}”"
            for r in read_or_refuse(current_rules(session)[1])
            if any(a.set == "recipe" and a.to == code for a in r.do)
        ),
    ]
    if users:
        raise Conflict("recipe_used", f"It is used by {', '.join(users[:5])}. Change that first.")
    row = session.scalar(select(RecipeRow).where(RecipeRow.code == code))
    if row:
        session.delete(row)


def products_with_recipe(session: Session) -> int:
    """Return how many products have a default recipe."""
    return session.scalar(select(func.count(Product.id)).where(Product.recipe != "")) or 0
