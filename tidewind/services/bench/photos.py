"""Pictures of packed parcels: written anew without what the camera put in, found from the order and the departure."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.db.tables import Bench, Departure, Label, Packing, Photo
from tidewind.outside.apart import TooMuch, read_apart
from tidewind.outside.pictures import PictureError, photo_and_small
from tidewind.services.base import Conflict, Invalid, NotFound

MOST_OF_ONE = 12


def keep_photo(session: Session, packing_id: int, data: bytes, person_id: int, now: datetime) -> Photo:
    """Keep a picture of a parcel.  Raises Invalid for what is no picture, Conflict for too many, NotFound."""
    if session.get(Packing, packing_id) is None:
        raise NotFound("unknown_packing", "Nothing was packed under this number.")
    if len(photos_of(session, packing_id=packing_id)) >= MOST_OF_ONE:
        raise Conflict("enough", f"{MOST_OF_ONE} pictures of one parcel are kept.")
    try:
        picture, small = read_apart(photo_and_small, data)
    except PictureError as error:
        raise Invalid("no_picture", str(error)) from error
    except TooMuch as error:
        raise Invalid("no_picture", f"The picture takes {error} to read.") from error
    made = Photo(packing_id=packing_id, person_id=person_id, at=now, picture=picture, small=small)
    session.add(made)
    session.flush()
    return made


def photos_of(session: Session, *, packing_id: int | None = None, order_id: int | None = None) -> Sequence[Photo]:
    """Return the pictures of a packing, or of all packings of an order, oldest first."""
    query = select(Photo).join(Packing, Packing.id == Photo.packing_id).order_by(Photo.id)
    if packing_id is not None:
        query = query.where(Photo.packing_id == packing_id)
    if order_id is not None:
        query = query.where(Packing.order_id == order_id)
    return session.scalars(query).all()


def photos_in(session: Session, carrier: str, network: str, day: date) -> Sequence[Photo]:
    """Return the pictures of the parcels of a departure, oldest first."""
    inside = (
        select(Label.shipment_id)
        .join(Departure, Departure.id == Label.departure_id)
        .where(Departure.carrier == carrier, Departure.network == network, Departure.day == day)
    )
    query = select(Photo).join(Packing, Packing.id == Photo.packing_id).where(Packing.shipment_id.in_(inside))
    return session.scalars(query.order_by(Photo.id)).all()


def get_photo(session: Session, photo_id: int) -> Photo:
    """Return a picture.  Raises NotFound."""
    row = session.get(Photo, photo_id)
    if row is None:
        raise NotFound("unknown_photo", "There is no such picture.")
    return row


def packing_for_photo(session: Session, bench: Bench, packing_id: int | None = None) -> int | None:
    """Return the packing that a picture at a bench is of: the one named, the open one, else the one packed last.

    Raises NotFound where the one that is named was not packed at this bench.
    """
    if packing_id is not None:
        named = session.get(Packing, packing_id)
        if named is None or named.bench_id != bench.id:
            raise NotFound("unknown_packing", "That was not packed at this bench.")
        return named.id
    last = select(Packing.id).where(Packing.bench_id == bench.id, Packing.packed_at.is_not(None))
    return bench.packing_id or session.scalar(last.order_by(Packing.packed_at.desc()).limit(1))
