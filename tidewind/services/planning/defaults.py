"""Shop defaults: how every plan begins, and how many orders each layer touches."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from tidewind.core.choosing import Policy, Values
from tidewind.core.destinations import GROUPS
from tidewind.core.order_facts import Shop
from tidewind.db.tables import Order, Work
from tidewind.services.base import Invalid
from tidewind.services.planning.choices import all_choices
from tidewind.services.planning.plans import waiting_clause
from tidewind.services.planning.rehearsing import Rehearsal, rehearse
from tidewind.services.planning.replanning import replan_waiting
from tidewind.services.planning.shop_facts import shop_settings

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


def get_shop_defaults(session: Session) -> ShopDefaults:
    """Return the shop's defaults."""
    row = shop_settings(session)
    return ShopDefaults(
        row.policy,
        row.group_services,
        row.packaging_by_weight,
        row.use_precedents,
        row.ranking,
        row.day_value_minor,
        row.late_value_minor,
    )


def _checked(session: Session, wanted: ShopDefaults, now: datetime) -> ShopDefaults:
    services = all_choices(session, now).services
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
            shop,
            policy=Policy(wanted.policy),
            group_services=wanted.group_services,
            packaging_by_weight=wanted.packaging_by_weight,
            precedents=shop.precedents if wanted.use_precedents else {},
            ranking=tuple(wanted.ranking),
            values=Values(wanted.day_value_minor, wanted.late_value_minor),
        )

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


def orders_touched(session: Session) -> tuple[dict[str, int], dict[str, int]]:
    """Return how many waiting orders each layer touches, and how many each rule does."""

    def count(part: str) -> dict[str, int]:
        each = func.jsonb_array_elements_text(Order.plan[part]).table_valued("value").render_derived()
        rows = session.execute(
            select(each.c.value, func.count())
            .select_from(Order)
            .join(each, text("true"))
            .where(waiting_clause())
            .group_by(each.c.value)
        ).all()
        return {value: number for value, number in rows}  # noqa: C416 - rows, not pairs

    return count("layers"), count("rules")
