"""Which zone a destination belongs to, and which surcharges its place brings."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import NamedTuple

from tidewind.core.addresses.countries import country_code
from tidewind.core.consignments import Consignment, Destination
from tidewind.core.tariffs.card import RateCard as Card
from tidewind.core.tariffs.card import Region, Zone


@lru_cache(maxsize=65_536)
def plain_postcode(text: str) -> str:
    """Return a postcode in capitals, letters and digits only, for comparison."""
    return "".join(ch for ch in text.upper() if ch.isalnum())


def bounds_of(pattern: str) -> tuple[str, str]:
    """Return the lowest and the highest prefix of a pattern: ``22`` → (22, 22), ``9500-9980`` → (9500, 9980)."""
    low, _, high = pattern.partition("-")
    return low, high or low


def in_postcodes(postcode: str, patterns: Iterable[str]) -> bool:
    """Tell whether a plain postcode matches a prefix (``22``) or lies in a range of prefixes (``9500-9980``)."""
    for pattern in patterns:
        low, high = bounds_of(pattern)
        if len(postcode) >= len(low) and low <= postcode[: len(low)] and postcode[: len(high)] <= high:
            return True
    return False


def in_region(region: Region, country: str, postcode: str, state: str = "") -> bool:
    """Tell whether a place (plain postcode, state or province) lies in a region of a card."""
    if country not in region.countries and "*" not in region.countries:
        return False
    if region.not_postcodes and in_postcodes(postcode, region.not_postcodes):
        return False  # excluding wins over including
    if region.regions and state.casefold() not in {r.casefold() for r in region.regions}:
        return False
    return not region.postcodes or in_postcodes(postcode, region.postcodes)


def in_any(regions: Sequence[Region], country: str, postcode: str, state: str = "") -> bool:
    """Tell whether a place lies in one of the regions."""
    return any(in_region(region, country, postcode, state) for region in regions)


class Where(NamedTuple):
    """A destination as a card sees it: its zone, and the surcharges that its place can bring.

    ``number`` is the same for equal ones of one finder, for quick look-ups.
    """

    zone: Zone
    places: frozenset[str]
    number: int


class PlaceFinder:
    """Finds zone and places of a consignment and remembers what it found; one per compiled card."""

    def __init__(self, card: Card) -> None:
        self._card = card
        self._remote = [(s.code, s.when.places) for s in (*card.surcharges, *card.extras) if s.when.places]
        self._known: dict[Destination, Where | None] = {}
        self._numbers: dict[tuple[str, frozenset[str]], int] = {}

    def find(self, c: Consignment) -> Where | None:
        """Return where the first zone, from the top, holds the destination for this origin; None where none does."""
        return self.look_up(c.route.ends)

    def look_up(self, key: Destination) -> Where | None:
        """Return the same for a destination by itself."""
        try:
            return self._known[key]
        except KeyError:
            if len(self._known) > 200_000:
                self._known.clear()
            return self._known.setdefault(key, self._search(*key))

    def _search(self, country: str, postcode: str, state: str, from_country: str, from_postcode: str) -> Where | None:
        if country_code(country) != country:
            return None  # no country, so no “World” either
        plain, start = plain_postcode(postcode), plain_postcode(from_postcode)
        home = from_country or self._card.country
        origin = next((o.id for o in self._card.origins if in_any(o.regions, home, start)), None)
        if origin is None and home != self._card.country:
            return None  # what the card does not say of parcels from elsewhere is not assumed
        for zone in self._card.zones:
            if (not zone.origins or origin in zone.origins) and in_any(zone.regions, country, plain, state):
                places = frozenset(code for code, where in self._remote if in_any(where, country, plain, state))
                number = self._numbers.setdefault((zone.id, places), len(self._numbers))
                return Where(zone, places, number)
        return None
