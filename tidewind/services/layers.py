"""The layers of planning as people set them up: shop defaults, recipes, promise links, rules and their versions."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from typing import Any

from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import tidy
from tidewind.core.choosing import Policy, Values
from tidewind.core.destinations import GROUPS
from tidewind.core.insuring import INSURED
from tidewind.core.order_facts import Shop
from tidewind.core.rules.rule import Rule
from tidewind.core.rules.touching import change_between
from tidewind.core.rules.written import BadRules, read_rules, write_rules
from tidewind.db.tables import Channel, Order, PackagingRow, Product, PromiseLink, RecipeRow, RuleSet, Work
from tidewind.services.errors import Conflict, Invalid, NotFound
from tidewind.services.planning import waiting_clause
from tidewind.services.replanning import Rehearsal, rehearse, replan_waiting
from tidewind.services.scope import Scope, can_touch
from tidewind.services.shop_facts import carriers_in_force, recipes_of, rules_in_force, shop_settings


@dataclass(frozen=True, slots=True)
class Choices:
    """Everything that a rule, a recipe or a default can name: code → what people call it."""

    services: Mapping[str, str]
    packagings: Mapping[str, str]
    recipes: Mapping[str, str]
    channels: Mapping[str, str]
    extras: Sequence[str]
    desks: Sequence[str]

    @property
    def names(self) -> dict[str, str]:
        """All codes with their names."""
        return {**self.services, **self.packagings, **self.recipes, **self.channels}


def choices(session: Session, now: datetime) -> Choices:
    """Return what there is to choose from, services with their carrier's name."""
    carriers = carriers_in_force(session, now.date())
    compiled = [(c.name, s.service) for c in carriers for s in c.own.services.values()]
    boxes = session.scalars(select(PackagingRow).where(PackagingRow.active).order_by(PackagingRow.code))
    return Choices(
        services={service.code: f"{carrier} {service.name}" for carrier, service in compiled},
        packagings={box.code: box.name for box in boxes},
        recipes={code: recipe.name for code, recipe in recipes_of(session).items()},
        channels={c.code: c.name for c in session.scalars(select(Channel).order_by(Channel.id))},
        extras=sorted({INSURED, *(e for _, service in compiled for e in (*service.extras, *service.included))}),
        desks=shop_settings(session).desks,
    )


# --- rules -------------------------------------------------------------------------------------------------------


def read_or_refuse(body: Any) -> tuple[Rule, ...]:
    """Return written rules as values.  Raises Invalid with every error."""
    rules = read_rules(body)
    if isinstance(rules, BadRules):
        raise Invalid("bad_rules", "; ".join(rules.errors))
    return rules


def _known_names(session: Session, rules: Sequence[Rule], now: datetime) -> None:
    known = choices(session, now)
    lists: dict[str, Mapping[str, str] | Sequence[str]] = {
        "recipe": known.recipes, "service": known.services, "packaging": known.packagings,
        "add_extra": known.extras, "remove_extra": known.extras,
    }  # fmt: skip
    for number, rule in enumerate(rules, 1):
        for action in rule.do:
            if action.set in lists and action.to not in lists[action.set]:
                what = action.set.replace("_", " ")
                raise Invalid("bad_rules", f"Rule {number}, {rule.name}: there is no {what} “{action.to}”.")


def current_rules(session: Session) -> tuple[int, list[dict[str, Any]]]:
    """Return the version in force and its rules; version 0 with none before the first."""
    row = session.scalar(select(RuleSet).order_by(RuleSet.id.desc()).limit(1))
    return (row.id, row.rules) if row else (0, [])


def save_rules(
    session: Session, body: Any, base_version: int, note: str, person_id: int, now: datetime
) -> tuple[RuleSet, Work]:
    """Store another version of all rules and plan the waiting orders anew.

    Raises Conflict where somebody else saved since ``base_version`` was read, Invalid for rules that cannot be used.
    """
    rules = read_or_refuse(body)
    _known_names(session, rules, now)
    session.execute(text("select pg_advisory_xact_lock(hashtext('rule_set'))"))
    newest, _ = current_rules(session)
    if newest != base_version:
        words = f"Somebody saved version {newest} since you began at {base_version}. Yours is kept here; compare first."
        raise Conflict("rules_changed", words)
    row = RuleSet(rules=write_rules(rules), note=tidy(note)[:200], person_id=person_id, created_at=now)
    session.add(row)
    session.flush()
    return row, replan_waiting(session, "Rules were changed", now, Scope(rules=(newest, row.id)))


def rule_versions(session: Session) -> Sequence[RuleSet]:
    """Return all versions, newest first."""
    return session.scalars(select(RuleSet).order_by(RuleSet.id.desc()).limit(200)).all()


def restore_rules(session: Session, version: int, person_id: int, now: datetime) -> tuple[RuleSet, Work]:
    """Bring an older version back as the newest one; none is lost.  Raises NotFound."""
    old = session.get(RuleSet, version)
    if old is None:
        raise NotFound("unknown_version", f"There is no version {version} of the rules.")
    newest, _ = current_rules(session)
    return save_rules(session, old.rules, newest, f"Version {version} restored", person_id, now)


def rehearse_rules(session: Session, body: Any, now: datetime, *, past: bool = False) -> Rehearsal:
    """Return what other rules would do to the waiting orders, or to those of the last 90 days.  Raises Invalid."""
    rules = read_or_refuse(body)
    change = change_between(rules_in_force(session), rules)
    return rehearse(session, now, lambda shop: replace(shop, rules=rules), past=past, only=partial(can_touch, change))


# --- recipes -----------------------------------------------------------------------------------------------------


def recipes(session: Session) -> Sequence[RecipeRow]:
    """Return all recipes: those that were put in order first, then by name; the first nine have a key."""
    return session.scalars(select(RecipeRow).order_by(RecipeRow.place == 0, RecipeRow.place, RecipeRow.name)).all()


def order_recipes(session: Session, codes: Sequence[str]) -> Sequence[RecipeRow]:
    """Put recipes in order; what is not named comes behind.  Raises Invalid for one that does not exist."""
    rows = {row.code: row for row in recipes(session)}
    if set(codes) - rows.keys():
        raise Invalid("unknown_recipe", "One of these recipes does not exist.")
    for row in rows.values():
        row.place = codes.index(row.code) + 1 if row.code in codes else 0
    session.flush()
    return recipes(session)


def save_recipe(
    session: Session, code: str | None, name: str, service: str | None, packaging: str | None,
    extras: Sequence[str], now: datetime,
) -> RecipeRow:  # fmt: skip
    """Add a recipe, or change the one with ``code``; waiting orders follow.

    Raises Invalid for something it names that does not exist, Conflict for a name that is taken.
    """
    known = choices(session, now)
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
    parcels = order.plan.get("parcels", [])
    packaging = parcels[0]["packaging"] if len(parcels) == 1 else None
    return save_recipe(session, None, name, order.service, packaging, order.plan.get("extras", []), now)


def remove_recipe(session: Session, code: str) -> None:
    """Remove a recipe.  Raises Conflict while a rule, a promise link or a product uses it."""
    users = [
        *(f"promise “{p}”" for p in session.scalars(select(PromiseLink.promise).where(PromiseLink.recipe == code))),
        *(f"product {sku}" for sku in session.scalars(select(Product.sku).where(Product.recipe == code).limit(3))),
        *(f"rule “{r.name}”" for r in read_or_refuse(current_rules(session)[1]) if any(
            a.set == "recipe" and a.to == code for a in r.do)),
    ]  # fmt: skip
    if users:
        raise Conflict("recipe_used", f"It is used by {', '.join(users[:5])}. Change that first.")
    row = session.scalar(select(RecipeRow).where(RecipeRow.code == code))
    if row:
        session.delete(row)


# --- promise links -----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Promise:
    """A promise text: its recipe (None while unlinked), and how many waiting orders carry it."""

    promise: str
    recipe: str | None
    waiting: int


def promises(session: Session) -> list[Promise]:
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
) -> Rehearsal:  # fmt: skip
    """Return what linking a promise would do to the waiting orders, or to those of the last 90 days."""

    def change(shop: Shop) -> Shop:
        links = {p: r for p, r in shop.promise_links.items() if p != promise}
        return replace(shop, promise_links={**links, promise: recipe} if recipe else links)

    return rehearse(session, now, change, past=past)


# --- shop defaults and the picture of all layers -----------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class ShopDefaults:
    """How a plan begins: the choice policy with its figures, services of groups, packaging by fit or weight.

    ``ranking`` is the own ranking of services; a day sooner and a late parcel are worth so many minor units.
    """

    policy: str
    group_services: Mapping[str, str]
    packaging_by_weight: bool
    use_precedents: bool
    ranking: Sequence[str] = ()
    day_value_minor: int = 40
    late_value_minor: int = 250


def shop_defaults(session: Session) -> ShopDefaults:
    """Return the shop's defaults."""
    row = shop_settings(session)
    return ShopDefaults(
        row.policy, row.group_services, row.packaging_by_weight, row.use_precedents, row.ranking, row.day_value_minor,
        row.late_value_minor,
    )  # fmt: skip


def _checked(session: Session, wanted: ShopDefaults, now: datetime) -> ShopDefaults:
    services = choices(session, now).services
    for group, service in wanted.group_services.items():
        if group not in GROUPS or service not in services:
            raise Invalid("unknown_default", f"There is no group “{group}”, or no service “{service}”.")
    if not set(wanted.ranking) <= set(services) or len(set(wanted.ranking)) != len(wanted.ranking):
        raise Invalid("bad_ranking", "The ranking names a service twice, or one that is not there.")
    if wanted.policy == Policy.RANKING and not wanted.ranking:
        raise Invalid("bad_ranking", "Put at least one service into the ranking first.")
    return wanted


def rehearse_defaults(session: Session, wanted: ShopDefaults, now: datetime, *, past: bool = False) -> Rehearsal:
    """Return what other defaults would do to the waiting orders, or to those of the last 90 days."""
    _checked(session, wanted, now)

    def change(shop: Shop) -> Shop:
        return replace(
            shop, policy=Policy(wanted.policy), group_services=wanted.group_services,
            packaging_by_weight=wanted.packaging_by_weight,
            precedents=shop.precedents if wanted.use_precedents else {}, ranking=tuple(wanted.ranking),
            values=Values(wanted.day_value_minor, wanted.late_value_minor),
        )  # fmt: skip

    return rehearse(session, now, change, past=past)


def set_shop_defaults(session: Session, wanted: ShopDefaults, now: datetime) -> Work:
    """Store the shop's defaults and plan the waiting orders anew."""
    _checked(session, wanted, now)
    row = shop_settings(session)
    row.policy, row.group_services = Policy(wanted.policy), dict(wanted.group_services)
    row.packaging_by_weight, row.use_precedents = wanted.packaging_by_weight, wanted.use_precedents
    row.ranking = list(wanted.ranking)
    row.day_value_minor, row.late_value_minor = wanted.day_value_minor, wanted.late_value_minor
    return replan_waiting(session, "Shop defaults were changed", now)


def touched(session: Session) -> tuple[dict[str, int], dict[str, int]]:
    """Return how many waiting orders each layer touches, and how many each rule does."""

    def count(part: str) -> dict[str, int]:
        each = func.jsonb_array_elements_text(Order.plan[part]).table_valued("value").render_derived()
        rows = session.execute(
            select(each.c.value, func.count()).select_from(Order).join(each, text("true")).where(waiting_clause())
            .group_by(each.c.value)
        ).all()  # fmt: skip
        return {value: number for value, number in rows}  # noqa: C416 - rows, not pairs

    return count("layers"), count("rules")
