"""Drop-off points: which take what we bring, until when on a day, how far they are, and which comes first."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, time
from typing import Literal, get_args

from tidewind.core.pickups.hours import read_hours
from tidewind.core.pickups.taking import Waiting
from tidewind.core.quantities import length_text, weight_text

Kind = Literal["shop", "locker", "counter"]
KINDS: tuple[Kind, ...] = get_args(Kind)
Spot = tuple[int, int]
"""Latitude and longitude in millionths of a degree (WGS 84)."""
_EARTH_M = 6_371_009
_MILLION = 1_000_000
_DEGREES = re.compile(r"-?\d{1,3}(\.\d{1,15})?")


@dataclass(frozen=True, slots=True)
class DropOffPoint:
    """A shop, locker or counter that takes parcels in; ``hours`` as OpenStreetMap writes them, empty: not known.

    Grams and millimetres; 0 is no limit.
    """

    code: str
    name: str
    kind: Kind
    street: str
    postcode: str
    city: str
    country: str
    spot: Spot | None = None
    hours: str = ""
    heaviest_g: int = 0
    longest_mm: int = 0
    full: bool = False


@dataclass(frozen=True, slots=True)
class Reach:
    """What a point means for a departure: how far (metres, None: not known), open until, and what stands against it."""

    distance_m: int | None
    opens: time | None
    closes: time | None
    refused: str


def read_spot(latitude: str, longitude: str) -> Spot | None:
    """Return a place on earth, None for two empty texts.  Raises ValueError for what is none."""
    if not latitude.strip() and not longitude.strip():
        return None
    made = []
    for text, most, name in ((latitude, 90, "latitude"), (longitude, 180, "longitude")):
        plain = text.strip()
        if not _DEGREES.fullmatch(plain):
            raise ValueError(f"“{plain[:20]}” is no {name}; write it like 40.6405")
        whole, _, rest = plain.lstrip("-").partition(".")
        value = int(whole) * _MILLION + int((rest + "000000")[:6])
        if value > most * _MILLION:
            raise ValueError(f"{plain} is no {name}")
        made.append(-value if plain.startswith("-") else value)
    return made[0], made[1]


def spot_text(spot: Spot | None) -> str:
    """Write a place on earth: ``40.640500, -8.653800``."""
    if spot is None:
        return ""
    return ", ".join(f"{'-' if v < 0 else ''}{abs(v) // _MILLION}.{abs(v) % _MILLION:06}" for v in spot)


def distance_m(one: Spot, other: Spot) -> int:
    """Return the great-circle distance in metres (haversine, on the mean radius of the earth)."""
    (lat1, lon1), (lat2, lon2) = (tuple(math.radians(v / _MILLION) for v in spot) for spot in (one, other))
    half = math.sin((lat2 - lat1) / 2) ** 2 + math.cos(lat1) * math.cos(lat2) * math.sin((lon2 - lon1) / 2) ** 2
    return round(2 * _EARTH_M * math.asin(min(math.sqrt(half), 1)))


def reach(point: DropOffPoint, start: Spot | None, day: date, holiday: bool, at: time | None) -> Reach:
    """Return what a point means on a day, seen from where parcels leave; ``at`` is the time, if it is today.

    ``closes`` is the last closing of the day, ``opens`` the opening that is still to come, if any.
    """
    far = distance_m(start, point.spot) if start and point.spot else None
    if point.full:
        return Reach(far, None, None, "it is full")
    hours = read_hours(point.hours)
    if hours is None:
        return Reach(far, None, None, "")
    spans = [span for span in hours.on(day, holiday) if at is None or span[1] > at]
    if not spans:
        return Reach(far, None, None, "it is closed on that day" if at is None else "it is closed for today")
    opens = spans[0][0]
    return Reach(far, opens if at is None or opens > at else None, spans[-1][1], "")


def too_much(point: DropOffPoint, parcels: Sequence[Waiting]) -> list[tuple[str, str]]:
    """Return what a point does not take of what is brought: the order's number, and why not."""
    found = []
    for parcel in parcels:
        if point.heaviest_g and parcel.gross_g > point.heaviest_g:
            heavy = f"{weight_text(parcel.gross_g)}, and it takes up to {weight_text(point.heaviest_g)}"
            found.append((parcel.label, heavy))
        elif point.longest_mm and parcel.sides and parcel.sides.longest > point.longest_mm:
            long = f"{length_text(parcel.sides.longest)}, and it takes up to {length_text(point.longest_mm)}"
            found.append((parcel.label, f"{long} long"))
    return found


def read_point(row: Mapping[str, str]) -> DropOffPoint:
    """Return a point out of a row of texts, named as in the file format.  Raises ValueError with what is wrong."""
    given = {name: " ".join(str(value).split()) for name, value in row.items()}
    kind = given.get("kind", "").lower() or "shop"
    if kind not in KINDS:
        raise ValueError(f"has the kind “{kind[:20]}”; known are {', '.join(KINDS)}")
    for name in ("code", "name", "city"):
        if not given.get(name):
            raise ValueError(f"has no {name}")
    hours = given.get("hours", "")
    read_hours(hours)
    return DropOffPoint(
        given["code"][:40],
        given["name"][:120],
        kind,
        given.get("street", "")[:120],
        given.get("postcode", "")[:20],
        given["city"][:80],
        given.get("country", "").upper()[:2],
        read_spot(given.get("latitude", ""), given.get("longitude", "")),
        hours[:300],
        _scaled(given.get("heaviest_kg", ""), 1000, "heaviest_kg"),
        _scaled(given.get("longest_cm", ""), 10, "longest_cm"),
        given.get("full", "").lower() in ("yes", "true", "1"),
    )


def _scaled(text: str, scale: int, name: str) -> int:
    """Return ``2.5`` kg as 2500 g, without a float on the way; 0 for nothing."""
    if not text:
        return 0
    match = re.fullmatch(r"(\d{1,5})(?:[.,](\d{1,3}))?", text)
    if match is None:
        raise ValueError(f"has “{text[:20]}” as its {name}, which is no figure")
    digits = len(str(scale)) - 1
    return int(match[1]) * scale + int(((match[2] or "") + "000")[:digits])
