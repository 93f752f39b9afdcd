"""The parcels of the last days: most come as they should, some are late, silent, waiting, refused, lost or held."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from typing import NamedTuple
from zoneinfo import ZoneInfo

import httpx

from tidewind.core.calendar import add_working_days

LISBON = ZoneInfo("Europe/Lisbon")


class Scan(NamedTuple):
    """One scan: when, in which state (with its reason behind a colon), the words and the place."""

    at: datetime
    state: str
    words: str
    spot: str


FATES = (
    ("waiting:6", 11),
    ("stuck", 10),
    ("returning", 9),
    ("late", 9),
    ("stuck", 8),
    ("late", 8),
    ("lost", 8),
    ("waiting:3", 8),
    ("late", 7),
    ("stuck", 7),
    ("returning", 7),
    ("late", 7),
    ("waiting:2", 7),
    ("refused", 6),
    ("late", 6),
    ("late", 6),
    ("waiting:1", 5),
)
"""What befalls parcels, and how many days ago at the least they left."""
HELD, HELD_SINCE = 2, 9
"""So many that cross a border are held by customs, of those that left at most so many days ago."""
COMES_BACK = 40
"""What was sold at most so many days ago its carrier still knows, since it may come back."""
STAGE = {
    "out_for_delivery": "delivering",
    "awaiting_collection": "waiting",
    "problem:refused": "refused",
    "problem:customs": "customs",
}
"""What the stand-in carriers call a state, where they call it otherwise."""


@dataclass(slots=True)
class UnderWay:
    """What is to befall parcels still, and what the stand-in carriers have to be told of them."""

    now: datetime
    fates: list[tuple[str, int]] = field(default_factory=lambda: list(FATES))
    held: int = HELD
    told: dict[str, list[dict[str, object]]] = field(default_factory=dict)

    def befalls(self, usual: Sequence[Scan], back: int, promised: date, country: str) -> list[Scan]:
        """Return the scans of a parcel that left ``back`` days ago, given those that it would usually have."""
        if country == "GB" and self.held and back <= HELD_SINCE and usual[2].at < self.now - timedelta(days=3):
            self.held -= 1
            return [*usual[:3], self._ago(2, 11, "problem:customs", "the invoice is missing", "Heathrow")]
        on_its_way_still = usual[2].at < self.now - timedelta(days=2)
        if country == "GB" or not on_its_way_still:
            return list(usual)
        over = promised < self.now.astimezone(LISBON).date()
        fate = next((f for f in self.fates if back <= f[1] and (over or f[0] != "late")), None)
        if fate is None:
            return list(usual)
        self.fates.remove(fate)
        return self._scans(fate[0], usual)

    def _scans(self, fate: str, usual: Sequence[Scan]) -> list[Scan]:
        kind, _, days = fate.partition(":")
        begun, city = list(usual[:3]), usual[-1].spot
        match kind:
            case "late":
                seen = self._ago(1, 22, "moving", "Sorted again", "Porto")
                return [*begun, seen, self._ago(-1, 12, "delivered", "Delivered", city)]
            case "waiting":
                home = self._ago(int(days), 11, "out_for_delivery", "With the driver", city)
                return [*begun, home, self._ago(int(days), 16, "awaiting_collection", "Waits at the post office", city)]
            case "refused":
                return [*begun, self._ago(1, 15, "problem:refused", "“not ordered”", city)]
            case "returning":
                refused = self._ago(3, 15, "problem:refused", "“not ordered”", city)
                return [*begun, refused, self._ago(2, 9, "returning", "On its way back to the sender", city)]
            case "lost":
                return [*begun, self._ago(1, 10, "lost", "Searched for and not found", "Porto")]
            case _:
                return begun

    def _ago(self, days: int, hour: int, state: str, words: str, spot: str) -> Scan:
        """Return a scan of some working days ago; a number below zero is still to come."""
        day, step = self.now.astimezone(LISBON).date(), timedelta(days=1 if days < 0 else -1)
        for _ in range(abs(days)):
            day += step
            while add_working_days(day, 0, "PT") != day:
                day += step
        return Scan(datetime.combine(day, time(hour, 12), LISBON).astimezone(UTC), state, words, spot)

    def note(self, carrier: str, number: str, scans: Sequence[Scan]) -> None:
        """Note what a carrier is told of a parcel that is on its way."""
        events = [(s.at.isoformat(), STAGE.get(s.state, s.state), s.words, s.spot) for s in scans]
        self.told.setdefault(carrier, []).append({"number": number, "events": events})

    def sold(self, carrier: str, number: str, key: str, price_minor: int) -> None:
        """Note what a carrier has sold, so that it makes a label for the way back of it."""
        known = {"number": number, "events": [], "key": key, "price_minor": price_minor}
        self.told.setdefault(carrier, []).append(known)

    def tell(self, standins_url: str) -> None:
        """Tell the stand-in carriers; told twice, nothing is there twice."""
        for carrier, parcels in self.told.items():
            url = f"{standins_url}/carriers/{carrier}/under-way"
            httpx.post(url, json=parcels, timeout=60).raise_for_status()
