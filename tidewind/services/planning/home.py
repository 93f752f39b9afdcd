"""Where parcels leave from, unless somebody says otherwise for one of them."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address
from tidewind.core.stored import NO_ADDRESS
from tidewind.db.tables import Place
from tidewind.services.base import Conflict


def default_place(session: Session) -> Place:
    """Return the place that parcels leave from.  Raises Conflict where none is set."""
    place = session.scalar(select(Place).where(Place.is_default))
    if place is None:
        raise Conflict("no_place", "No place is set that parcels leave from. Add one in Set-up, Places.")
    return place


def home_address(session: Session) -> Address:
    """Return the address of that place; an empty one in a shop that has none yet."""
    return session.scalar(select(Place.address).where(Place.is_default)) or NO_ADDRESS
