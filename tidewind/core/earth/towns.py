"""Where a town lies: a list of 34,000 by their names in many languages (GeoNames, see docs/licences.md).

It has no villages, and two towns may have one name: what is not found is not drawn, and nothing else goes by it.
"""

from __future__ import annotations

import csv
from collections.abc import Sequence
from functools import cache
from importlib import resources

from tidewind.core.addresses.gazetteer import plain_town
from tidewind.core.pickups.points import Spot

_HUNDREDTH = 10_000  # millionths of a degree


@cache
def _towns() -> dict[str, list[tuple[str, Spot]]]:
    """Return the towns by each of their plain names, the most populous first."""
    found: dict[str, list[tuple[str, Spot]]] = {}
    with (resources.files("tidewind.data") / "map" / "towns.csv").open(encoding="utf-8") as file:
        for row in csv.DictReader(file):
            spot = int(row["latitude_e2"]) * _HUNDREDTH, int(row["longitude_e2"]) * _HUNDREDTH
            for name in row["names"].split("|"):
                found.setdefault(name, []).append((row["country"], spot))
    return found


def spot_of(town: str, countries: Sequence[str]) -> Spot | None:
    """Return where a town lies, as carriers write one (``Porto``, ``Porto, PT``), None where nobody knows.

    A country behind the town counts; else the town is looked for in ``countries``, in their order.  A town elsewhere
    is none: a carrier's depot that lies in neither end's country is only known with its country.
    """
    name, _, behind = town.rpartition(",")
    country = behind.strip().upper()
    if not name or len(country) != 2:
        name, country = town.split(",", maxsplit=1)[0], ""
    lying = _towns().get(plain_town(name), [])
    for wanted in (country,) if country else countries:
        for there, spot in lying:
            if there == wanted:
                return spot
    return None
