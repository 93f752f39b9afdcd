"""The shop itself: its first owner, its name, money, units and clock, its choice policy."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import pycountry
from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.choosing import Policy
from tidewind.db.tables import LedgerEntry, Order, Person, RateCardRow, Shop
from tidewind.services.base import Conflict, Invalid, one_at_a_time
from tidewind.services.people import add_person, anybody
from tidewind.services.planning import replan_waiting, shop_settings


def first_owner(session: Session, shop: Shop, login: str, name: str, password: str) -> Person:
    """Set an empty installation up: the shop and its owner.

    Raises Conflict once anybody has a login, Invalid for a time zone or currency that is none.
    """
    one_at_a_time(session, "first_owner")
    if anybody(session):
        raise Conflict("already_set_up", "This shop is set up already. Sign in, or ask the owner for a login.")
    _check_zone(shop.time_zone)
    _check_currency(shop.currency)
    session.add(shop)
    return add_person(session, login, name, "owner", password, (shop.name,))


def _check_zone(name: str) -> None:
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError) as error:
        raise Invalid("unknown_zone", f"{name} is no time zone; write one like Europe/Lisbon.") from error


def _check_currency(code: str) -> None:
    if pycountry.currencies.get(alpha_3=code) is None:
        raise Invalid("unknown_currency", f"{code} is no currency; write its three letters, as in EUR.")


def change_shop(session: Session, values: Mapping[str, Any], now: datetime) -> Shop:
    """Change the shop's own facts; where prices or days depend on it, waiting orders are planned anew.

    Raises Invalid for a time zone or currency that is none, Conflict for another currency once there is any price.
    """
    row = shop_settings(session)
    zone, currency = str(values["time_zone"]), str(values["currency"])
    _check_zone(zone)
    if currency != row.currency:
        _check_currency(currency)
        _no_money_yet(session, row.currency)
    if any(stretch["first"] > stretch["last"] for stretch in values.get("closed", ())):
        raise Invalid("closed_backwards", "A stretch of closed days ends on or after the day it begins.")
    reckoned_with = ("time_zone", "currency", "day_value_minor", "late_value_minor", "closed", "units")
    plans = any(values.get(name, getattr(row, name)) != getattr(row, name) for name in reckoned_with)
    for name, value in values.items():
        setattr(row, name, value)
    session.flush()
    if plans:
        replan_waiting(session, "The shop's settings were changed", now)
    return row


def _no_money_yet(session: Session, currency: str) -> None:
    """Refuse another currency where there are sums already: they would all be read as if they were in it."""
    for table, words in ((Order, "orders"), (LedgerEntry, "entries in the books"), (RateCardRow, "rate cards")):
        if session.scalar(select(table.id).limit(1)) is not None:
            raise Conflict("money_there", f"There are {words} in {currency} already; the currency stays what it is.")


def set_policy(session: Session, policy: str, now: datetime) -> int:
    """Set how services are chosen and plan all waiting orders anew; return how many there are."""
    shop_settings(session).policy = Policy(policy)
    return replan_waiting(session, "The choice policy was changed", now).total
