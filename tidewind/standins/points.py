"""The shops and lockers of the stand-in carrier that never comes: a file like anybody's, told by the protocol."""

from __future__ import annotations

import csv
from functools import cache
from importlib import resources
from typing import Any

FILES = {"pontolo": "pontolo-points.csv"}


@cache
def points_of(carrier: str) -> tuple[dict[str, Any], ...]:
    """Return a carrier's points as the protocol tells them; nothing for one that has none."""
    if carrier not in FILES:
        return ()
    text = resources.files("tidewind.standins.lists").joinpath(FILES[carrier]).read_text("utf-8")
    return tuple(_told(row) for row in csv.DictReader(text.splitlines()))


def _told(row: dict[str, str]) -> dict[str, Any]:
    plain = ("code", "name", "kind", "street", "postcode", "city", "country", "hours")
    return {
        **{name: row[name] for name in plain},
        "latitude": float(row["latitude"]),
        "longitude": float(row["longitude"]),
        "heaviest_g": int(row["heaviest_kg"]) * 1000,
        "longest_mm": int(row["longest_cm"]) * 10,
        "full": row["full"] == "yes",
    }
