"""Drop-off points: brought in by a file or asked from the carrier, seen from where parcels leave, and chosen."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from tidewind.core.calendar import is_holiday
from tidewind.core.pickups.points import DropOffPoint, Reach, reach, read_point, too_much
from tidewind.core.states.pickups import PickupState
from tidewind.db.tables import CarrierRow, Departure, DropOffPointRow, Pickup, Place
from tidewind.outside.errors import OutsideError
from tidewind.outside.spreadsheets import SpreadsheetError, read_sheet
from tidewind.services.base import Conflict, Invalid, NotFound, Outside
from tidewind.services.handover.departures import DepartureKey, lock_departure, plan_what_stays
from tidewind.services.handover.lying import lying_on
from tidewind.services.planning import default_place, shop_settings

MOST_POINTS, MOST_WRONG = 5_000, 50
COLUMNS = (
    "code", "name", "kind", "street", "postcode", "city", "country", "latitude", "longitude", "hours", "heaviest_kg",
    "longest_cm", "full",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class PointSeen:
    """A point as it is for a departure: how far, until when, and which of its parcels it does not take."""

    point: DropOffPoint
    reached: Reach
    chosen: bool
    stays: tuple[tuple[str, str], ...]


def points_seen(session: Session, key: DepartureKey, now: datetime) -> list[PointSeen]:
    """Return a carrier's points as they are for a departure: those that take it first, then the nearest."""
    place, local = default_place(session), now.astimezone(ZoneInfo(shop_settings(session).time_zone))
    rows = session.scalars(select(DropOffPointRow).where(DropOffPointRow.carrier == key.carrier)).all()
    mine = (Departure.carrier == key.carrier, Departure.network == key.network, Departure.day == key.day)
    chosen = session.scalar(select(Departure.point_id).where(*mine, Departure.place_id == place.id))
    lying = lying_on(session, key.day).get((key.carrier, key.network))
    parcels = [parcel for _, parcel in lying.waiting] if lying else []
    at = local.time() if local.date() == key.day else None
    found = []
    for row in rows:
        point = row.point
        reached = reach(point, place.on_earth, key.day, is_holiday(key.day, point.country), at)
        found.append(PointSeen(point, reached, row.id == chosen, tuple(too_much(point, parcels))))
    return sorted(found, key=lambda seen: (bool(seen.reached.refused), *_nearness(seen, place), seen.point.name))


def _nearness(seen: PointSeen, place: Place) -> tuple[int, int]:
    """Return what points are put in order by: metres where both are on the map, else how far postcodes agree."""
    if seen.reached.distance_m is not None:
        return 0, seen.reached.distance_m
    pairs = zip(seen.point.postcode.replace(" ", ""), place.address.postcode.replace(" ", ""), strict=False)
    alike = next((n for n, (one, other) in enumerate(pairs) if one != other), len(place.address.postcode))
    return 1, -alike


def point_id_of(session: Session, carrier: str, code: str) -> int:
    """Return the id of a carrier's point.  Raises NotFound."""
    mine = (DropOffPointRow.carrier == carrier, DropOffPointRow.code == code)
    found = session.scalar(select(DropOffPointRow.id).where(*mine))
    if found is None:
        raise NotFound("unknown_point", f"This carrier has no drop-off point {code[:40]}.")
    return found


def bring(session: Session, key: DepartureKey, brought: bool, point: str, now: datetime) -> None:
    """Say that a departure is taken there by us, to a drop-off point where one is named, or is to be fetched after all.

    A point that closes before the cut-off lets what is bought later leave on another day: it is planned anew.
    Raises Conflict where a van comes, NotFound for a point that there is not.
    """
    departure = lock_departure(session, key, now)
    comes = select(Pickup.id).where(Pickup.departure_id == departure.id, Pickup.state.in_(PickupState.STANDS))
    if brought and session.scalar(comes) is not None:
        raise Conflict("van_comes", "A van is asked for. Cancel the pickup first.")
    departure.brought = brought
    departure.point_id = point_id_of(session, key.carrier, point) if brought and point else None
    session.flush()
    plan_what_stays(session, departure, "where it is handed over was changed", now)


def bring_in_points(
    session: Session, carrier: str, file_name: str, data: bytes, now: datetime
) -> tuple[int, list[str]]:
    """Take a carrier's points out of a CSV, XLSX or GeoJSON file (RFC 7946), instead of those it had.

    Return how many there are now, and what was wrong with rows that were left out.
    Raises NotFound for a carrier that there is not, Invalid for a file without a point.
    """
    if session.scalar(select(CarrierRow.id).where(CarrierRow.code == carrier)) is None:
        raise NotFound("unknown_carrier", "There is no such carrier.")
    is_json = data.lstrip()[:1] == b"{"
    rows = _features(data) if is_json else _table(file_name, data)
    return _keep(session, carrier, rows, f"file {file_name}"[:80], now)


def ask_for_points(session: Session, outside: Outside, carrier: str, now: datetime) -> tuple[int, list[str]]:
    """Ask a carrier for its points near where parcels leave, and keep them instead of those it had.

    Raises NotFound for a carrier that there is not, Conflict for one that names none or cannot be reached.
    """
    row = session.scalar(select(CarrierRow).where(CarrierRow.code == carrier))
    if row is None:
        raise NotFound("unknown_carrier", "There is no such carrier.")
    if "points" not in row.can:
        raise Conflict("no_points", f"{row.name} names no drop-off points. Bring in a file instead.")
    start = default_place(session).address
    try:
        told = outside.carrier(row).points(start.country, start.postcode)
    except OutsideError as error:
        raise Conflict("not_reached", f"{row.name}: {error}. The points known before were kept.") from error
    return _keep(session, carrier, told, f"{row.name} itself"[:80], now)


def _table(file_name: str, data: bytes) -> list[Mapping[str, str]]:
    try:
        rows = read_sheet(data, file_name).rows
    except SpreadsheetError as error:
        raise Invalid("unreadable_file", str(error)) from error
    heads = [head.strip().lower().replace(" ", "_") for head in rows[0]] if rows else []
    if not {"code", "name", "city"} <= set(heads):
        raise Invalid("no_heads", f"The first row must name the columns; known are {', '.join(COLUMNS)}.")
    return [dict(zip(heads, row, strict=False)) for row in rows[1:] if any(cell.strip() for cell in row)]


def _features(data: bytes) -> list[Mapping[str, str]]:
    """Return the points of a GeoJSON feature collection: longitude stands before latitude there."""
    try:
        told: Any = json.loads(data, parse_float=str, parse_int=str)
        features = told["features"]
        made: list[Mapping[str, str]] = []
        for feature in features:
            row = {str(name): str(value) for name, value in dict(feature["properties"]).items() if value is not None}
            longitude, latitude = feature["geometry"]["coordinates"][:2]
            made.append(row | {"longitude": str(longitude), "latitude": str(latitude)})
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise Invalid("no_geojson", "This is no GeoJSON feature collection of points (RFC 7946).") from error
    return made


def _keep(
    session: Session, carrier: str, rows: Sequence[Mapping[str, str]], source: str, now: datetime
) -> tuple[int, list[str]]:
    if len(rows) > MOST_POINTS:
        raise Invalid("too_many", f"At most {MOST_POINTS:,} points are kept for one carrier.")
    home = default_place(session).address.country
    points, wrong = dict[str, DropOffPoint](), []
    for number, row in enumerate(rows, 2):
        try:
            point = read_point({"country": home, **row})
        except ValueError as error:
            wrong.append(f"Row {number} {error}")
            continue
        points[point.code] = point
    if not points:
        raise Invalid("no_points", "; ".join(["No drop-off point was found there", *wrong[:3]]) + ".")
    known = {
        row.code: row for row in session.scalars(select(DropOffPointRow).where(DropOffPointRow.carrier == carrier))
    }
    gone = [row.id for code, row in known.items() if code not in points]
    session.execute(delete(DropOffPointRow).where(DropOffPointRow.id.in_(gone)))
    for code, point in points.items():
        named = {name: getattr(point, name) for name in point.__dataclass_fields__ if name != "spot"}
        latitude, longitude = point.spot or (None, None)
        kept = known.get(code) or DropOffPointRow(carrier=carrier)
        for name, value in {**named, "latitude_e6": latitude, "longitude_e6": longitude}.items():
            setattr(kept, name, value)
        kept.learned_from, kept.learned_at = source, now
        session.add(kept)
    session.flush()
    return len(points), wrong[:MOST_WRONG]
