"""Everything that a rule, a recipe or a default can name."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.insuring import INSURED
from tidewind.db.tables import Channel, PackagingRow
from tidewind.services.planning.shop_facts import carriers_in_force, recipes_of, shop_day, shop_settings


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


def all_choices(session: Session, now: datetime) -> Choices:
    """Return what there is to choose from, services with their carrier's name."""
    carriers = carriers_in_force(session, shop_day(session, now))
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
