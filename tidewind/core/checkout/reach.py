"""Where an offer or a row of a table holds: countries, regions, postcodes with ranges, and what is left out of them."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

from tidewind.core.addresses.countries import country_code
from tidewind.core.tariffs.zones import bounds_of, in_postcodes, plain_postcode

NOT = "not"
_PATTERN = re.compile(r"[A-Z0-9]{1,10}(-[A-Z0-9]{1,10})?")
"""A beginning of a postcode, or a range of beginnings: ``95``, ``9000-9400``, ``SW1``."""


@dataclass(frozen=True, slots=True)
class Reach:
    """Countries (none: all), regions (none: all), postcodes (none: all); what is excluded wins over what is named.

    Postcodes are beginnings or ranges of them: ``9000-9400`` is everything whose first four signs lie between.  With a
    country before them, ``ES:35``, they narrow that country only, and others stay whole.
    """

    countries: frozenset[str] = frozenset()
    not_countries: frozenset[str] = frozenset()
    regions: frozenset[str] = frozenset()
    postcodes: tuple[str, ...] = ()
    not_postcodes: tuple[str, ...] = ()

    def holds(self, country: str, postcode: str, region: str = "") -> bool:
        """Tell whether a destination lies in it: country by its two letters, postcode and region as typed."""
        if country in self.not_countries or (self.countries and country not in self.countries):
            return False
        if self.regions and region.strip().casefold() not in self.regions:
            return False
        plain = plain_postcode(postcode)
        if self.not_postcodes and in_postcodes(plain, patterns_in(self.not_postcodes, country)):
            return False
        mine = patterns_in(self.postcodes, country)
        return not mine or in_postcodes(plain, mine)

    @property
    def narrowness(self) -> tuple[int, int, int, int]:
        """How narrow it is, to be put in order: what names postcodes before regions, before countries, before all."""
        return bool(self.postcodes), _length(self.postcodes), bool(self.regions), bool(self.countries)


@lru_cache(maxsize=4_096)
def patterns_in(postcodes: tuple[str, ...], country: str) -> tuple[str, ...]:
    """Return the patterns that are meant for a country: its own, and those without one."""
    parted = [pattern.rpartition(":") for pattern in postcodes]
    return tuple(pattern for of, _, pattern in parted if of in ("", country))


def _length(postcodes: tuple[str, ...]) -> int:
    return min((len(bounds_of(pattern.rpartition(":")[2])[0]) for pattern in postcodes), default=0)


EVERYWHERE = Reach()


def read_reach(countries: str, regions: str, postcodes: str) -> Reach:
    """Return a reach out of three cells: ``PT ES`` or ``not CH``; ``Madeira; Azores``; ``9000-9400 not 9100``.

    Raises ValueError with what is wrong.
    """
    named, excluded = _parted(countries.upper().replace(",", " ").split(), NOT.upper())
    for code in (*named, *excluded):
        if code != "*" and country_code(code) != code:
            raise ValueError(f"“{code[:20]}” is no country; write two letters like PT")
    patterns, without = _parted(postcodes.upper().replace(",", " ").split(), NOT.upper())
    for pattern in (*patterns, *without):
        of, _, rest = pattern.rpartition(":")
        low, high = bounds_of(rest)
        if of and country_code(of) != of:
            raise ValueError(f"“{of[:20]}” is no country; write ES:35")
        if not _PATTERN.fullmatch(rest) or low > high or len(low) != len(high):
            raise ValueError(f"“{pattern[:20]}” is no postcode, beginning or range; write 9000-9400 or 95")
    wanted = frozenset(word.strip().casefold() for word in regions.split(";") if word.strip())
    return Reach(frozenset(named) - {"*"}, frozenset(excluded), wanted, tuple(patterns), tuple(without))


def _parted(words: list[str], without: str) -> tuple[list[str], list[str]]:
    """Return the words before the first ``not`` and those behind it."""
    at = words.index(without) if without in words else len(words)
    return words[:at], [word for word in words[at + 1 :] if word != without]
