"""Does a postcode belong to the city written beside it?  A mismatch may warn, never stop: the list has gaps."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from importlib import resources

from tidewind.core.addresses.check import Address
from tidewind.core.addresses.latin import plain_words
from tidewind.core.tariffs.zones import in_postcodes, plain_postcode


@dataclass(frozen=True, slots=True)
class Town:
    """A town with the beginnings of its postcodes (or ranges of them) and the region it lies in."""

    country: str
    name: str
    postcodes: tuple[str, ...]
    region: str


def plain_town(text: str) -> str:
    """Return a town's name in Latin small letters without accents and punctuation."""
    return " ".join(plain_words(text))


@dataclass(slots=True)
class Gazetteer:
    """Towns by country, prepared for look-up."""

    towns: Sequence[Town]
    _by_name: dict[tuple[str, str], list[Town]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for town in self.towns:
            self._by_name.setdefault((town.country, plain_town(town.name)), []).append(town)

    def towns_named(self, country: str, name: str) -> list[Town]:
        """Return the towns of that name."""
        return self._by_name.get((country, plain_town(name)), [])

    def town_of(self, country: str, postcode: str) -> Town | None:
        """Return the town a postcode belongs to, the narrowest that is known."""
        plain = plain_postcode(postcode)
        fitting = [t for t in self.towns if t.country == country and in_postcodes(plain, t.postcodes)]
        return max(fitting, key=lambda t: max(len(p) for p in t.postcodes), default=None)

    def starting(self, country: str, text: str, limit: int = 8) -> list[Town]:
        """Return towns whose name or postcode starts with what was typed."""
        name, code = plain_town(text), plain_postcode(text)

        def fits(town: Town) -> bool:
            by_name = bool(name) and plain_town(town.name).startswith(name)
            return by_name or (bool(code) and any(p.startswith(code) for p in town.postcodes))

        return [t for t in self.towns if (not country or t.country == country) and fits(t)][:limit]

    def doubt(self, address: Address) -> str | None:
        """Return in words why postcode and city do not belong together, or None where nothing is known against it."""
        named = self.towns_named(address.country, address.city)
        if not named or not address.postcode:
            return None
        plain = plain_postcode(address.postcode)
        if any(in_postcodes(plain, t.postcodes) for t in named):
            return None
        there = self.town_of(address.country, address.postcode)
        if there is None:
            return None
        where = there.name + (f", {there.region}" if there.region and there.region != there.name else "")
        return f"Postcode {address.postcode} is in {where}; the city says {address.city}"


def read_towns(rows: Iterable[dict[str, str]]) -> list[Town]:
    """Return towns out of rows with country, name, postcodes (separated by spaces) and region."""
    return [Town(r["country"], r["name"], tuple(r["postcodes"].split()), r["region"]) for r in rows]


@lru_cache(maxsize=1)
def shipped() -> Gazetteer:
    """Return the gazetteer that ships with the program (source and date: docs/data.md)."""
    text = resources.files("tidewind.data").joinpath("towns.csv").read_text("utf-8")
    return Gazetteer(read_towns(csv.DictReader(text.splitlines())))
