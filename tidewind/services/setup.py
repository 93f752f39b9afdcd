"""Set-up: the shop itself, its places and its packaging."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address, check, tidy_address
from tidewind.core.choosing import Policy
from tidewind.db.tables import PackagingRow, Person, Place, Shop
from tidewind.services.errors import Conflict, Invalid, NotFound
from tidewind.services.replanning import replan_waiting
from tidewind.services.shop_facts import shop_settings
from tidewind.services.signing_in import add_person, anybody


def first_owner(session: Session, shop: Shop, login: str, name: str, password: str) -> Person:
    """Set an empty installation up: the shop and its owner.  Raises Conflict once anybody has a login."""
    if anybody(session):
        raise Conflict("already_set_up", "This shop is set up already. Sign in, or ask the owner for a login.")
    _check_zone(shop.time_zone)
    session.add(shop)
    return add_person(session, login, name, "owner", password)


def _check_zone(name: str) -> None:
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError) as error:
        raise Invalid("unknown_zone", f"{name} is no time zone; write one like Europe/Lisbon.") from error


def set_policy(session: Session, policy: str, now: datetime) -> int:
    """Set how services are chosen and plan all waiting orders anew; return how many there are."""
    shop_settings(session).policy = Policy(policy)
    return replan_waiting(session, "The choice policy was changed", now).total


def places(session: Session) -> Sequence[Place]:
    """Return all places, the default first."""
    return session.scalars(select(Place).order_by(Place.is_default.desc(), Place.name)).all()


def save_place(
    session: Session, place_id: int | None, name: str, address: Address, spot: str, hours: str, is_default: bool
) -> Place:
    """Add or change a place; the first one, or one marked so, becomes the default.

    Raises Invalid with what is wrong with the address, Conflict for a name that is taken.
    """
    tidied = tidy_address(address)
    faults = check(tidied)
    if faults:
        raise Invalid("address", "; ".join(fault.words for fault in faults).capitalize() + ".")
    taken = session.scalar(select(Place.id).where(Place.name == name.strip(), Place.id != (place_id or 0)))
    if taken:
        raise Conflict("name_taken", f"There is already a place called {name}.")
    place = session.get(Place, place_id) if place_id else Place(is_default=False)
    if place is None:
        raise NotFound("unknown_place", "This place does not exist.")
    first = session.scalar(select(Place.id).limit(1)) is None
    if is_default or first:
        session.execute(update(Place).values(is_default=False))
        session.flush()
        place.is_default = True
    place.name, place.address, place.pickup_spot, place.opening_hours = name.strip(), asdict(tidied), spot, hours
    session.add(place)
    session.flush()
    return place


def packagings(session: Session) -> Sequence[PackagingRow]:
    """Return all packaging, own first, by code."""
    return session.scalars(select(PackagingRow).order_by(PackagingRow.carrier.nulls_first(), PackagingRow.code)).all()


def save_packaging(
    session: Session, packaging_id: int | None, values: dict[str, object], now: datetime
) -> PackagingRow:
    """Add or change packaging and plan all waiting orders anew.

    Raises Invalid where the inside is larger than the outside, Conflict for a code that is taken.
    """
    row = session.get(PackagingRow, packaging_id) if packaging_id else PackagingRow()
    if row is None:
        raise NotFound("unknown_packaging", "This packaging does not exist.")
    taken = session.scalar(
        select(PackagingRow.id).where(PackagingRow.code == values["code"], PackagingRow.id != (packaging_id or 0))
    )
    if taken:
        raise Conflict("code_taken", f"There is already packaging with the code {values['code']}.")
    for name, value in values.items():
        setattr(row, name, value)
    core = row.to_core()
    if core.mm3 > core.outer.mm3:
        raise Invalid("inside_larger", "The inner size is larger than the outer size.")
    session.add(row)
    session.flush()
    replan_waiting(session, f"Packaging {core.name} was changed", now)
    return row
