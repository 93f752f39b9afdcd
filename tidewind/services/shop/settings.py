"""The shop itself: its first owner, its choice policy."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from sqlalchemy.orm import Session

from tidewind.core.choosing import Policy
from tidewind.db.tables import Person, Shop
from tidewind.services.base import Conflict, Invalid, one_at_a_time
from tidewind.services.people import add_person, anybody
from tidewind.services.planning import replan_waiting, shop_settings


def first_owner(session: Session, shop: Shop, login: str, name: str, password: str) -> Person:
    """Set an empty installation up: the shop and its owner.  Raises Conflict once anybody has a login."""
    one_at_a_time(session, "first_owner")
    if anybody(session):
        raise Conflict("already_set_up", "This shop is set up already. Sign in, or ask the owner for a login.")
    _check_zone(shop.time_zone)
    session.add(shop)
    return add_person(session, login, name, "owner", password, (shop.name,))


def _check_zone(name: str) -> None:
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError) as error:
        raise Invalid("unknown_zone", f"{name} is no time zone; write one like Europe/Lisbon.") from error


def set_policy(session: Session, policy: str, now: datetime) -> int:
    """Set how services are chosen and plan all waiting orders anew; return how many there are."""
    shop_settings(session).policy = Policy(policy)
    return replan_waiting(session, "The choice policy was changed", now).total
