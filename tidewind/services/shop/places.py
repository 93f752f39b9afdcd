"""The places that parcels leave from."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from tidewind.core.addresses.check import Address, check, tidy_address
from tidewind.core.pickups.points import read_spot
from tidewind.db.tables import Place
from tidewind.services.base import Conflict, Invalid, NotFound


def all_places(session: Session) -> Sequence[Place]:
    """Return all places, the default first."""
    return session.scalars(select(Place).order_by(Place.is_default.desc(), Place.name)).all()


def home_country(session: Session) -> str:
    """Return the country of the default place, as ISO 3166-1 alpha-2; empty without a place."""
    places = all_places(session)
    return places[0].address.country if places else ""


def save_place(
    session: Session,
    place_id: int | None,
    name: str,
    address: Address,
    spot: str,
    hours: str,
    is_default: bool,
    on_earth: str = "",
) -> Place:
    """Add or change a place; the first one, or one marked so, becomes the default.

    ``on_earth`` is where it lies, as latitude and longitude: ``40.6405, -8.6538``; empty where nobody says.
    Raises Invalid with what is wrong with the address or with that, Conflict for a name that is taken.
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
    place.name, place.address, place.pickup_spot, place.opening_hours = name.strip(), tidied, spot, hours
    try:
        place.latitude_e6, place.longitude_e6 = read_spot(*_two(on_earth)) or (None, None)
    except ValueError as error:
        raise Invalid("on_earth", f"Latitude and longitude: {error}.") from error
    session.add(place)
    session.flush()
    return place


def _two(text: str) -> tuple[str, str]:
    latitude, _, longitude = text.partition(",")
    return latitude, longitude
