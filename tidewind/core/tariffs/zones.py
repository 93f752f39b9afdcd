"""Which zone a destination belongs to."""

from __future__ import annotations

from tidewind.core.tariffs.card import Region, Zone


def plain_postcode(text: str) -> str:
    """Return a postcode in capitals, letters and digits only, for comparison."""
    return "".join(ch for ch in text.upper() if ch.isalnum())


def in_postcodes(postcode: str, patterns: tuple[str, ...]) -> bool:
    """Tell whether a plain postcode matches a prefix (``22``) or lies in a range of prefixes (``9500-9980``)."""
    for pattern in patterns:
        low, _, high = pattern.partition("-")
        high = high or low
        if len(postcode) >= len(low) and low <= postcode[: len(low)] and postcode[: len(high)] <= high:
            return True
    return False


def _in_region(region: Region, country: str, postcode: str) -> bool:
    if country not in region.countries and "*" not in region.countries:
        return False
    if region.not_postcodes and in_postcodes(postcode, region.not_postcodes):
        return False  # excluding wins over including
    return not region.postcodes or in_postcodes(postcode, region.postcodes)


class ZoneFinder:
    """Finds zones and remembers what it found; one per compiled card."""

    def __init__(self, zones: tuple[Zone, ...]) -> None:
        self._zones = zones
        self._known: dict[tuple[str, str], str | None] = {}

    def find(self, country: str, postcode: str) -> str | None:
        """Return the id of the first zone, from the top, that holds the destination; None where there is none."""
        key = (country, postcode)
        if key not in self._known:
            if len(self._known) > 200_000:
                self._known.clear()
            plain = plain_postcode(postcode)
            self._known[key] = next(
                (z.id for z in self._zones if any(_in_region(r, country, plain) for r in z.regions)), None
            )
        return self._known[key]
