"""Restricted parties: is a recipient like somebody on a list, and how like, in words that can be checked."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from zlib import crc32

from rapidfuzz import fuzz, process

from tidewind.core.addresses.check import Address
from tidewind.core.addresses.latin import plain_words

NEAR, SURE = 86, 97
KEPT = 20_000
"""Of so many recipients it is kept whom they are like."""
_NOT_NAMES = frozenset({"ltd", "lda", "limited", "gmbh", "sa", "sarl", "inc", "llc", "co", "company", "and", "the"})


@dataclass(frozen=True, slots=True)
class Listed:
    """One entry of a list: its key there, its names, its country (may be empty), which list, and its addresses.

    An address is written on one line, as lists have them.
    """

    key: str
    names: tuple[str, ...]
    country: str = ""
    source: str = ""
    addresses: tuple[str, ...] = ()

    @property
    def stamp(self) -> str:
        """The entry as it stands now, by which it is cleared: an entry that changes has to be looked at again."""
        said = (self.names, self.country, self.source, *((self.addresses,) if self.addresses else ()))
        return f"{self.key}@{crc32(repr(said).encode()):08x}"


@dataclass(frozen=True, slots=True)
class Match:
    """A recipient that is like an entry: the score in per cent and how it came about."""

    entry: Listed
    score: int
    words: str


def plain_name(text: str) -> str:
    """Return a name in Latin small letters, without accents, punctuation and forms of company."""
    return " ".join(word for word in plain_words(text) if word not in _NOT_NAMES)


@dataclass(slots=True)
class Screen:
    """Lists prepared for matching; what a recipient is like is kept, since an order is planned again and again."""

    entries: Sequence[Listed]
    _plain: list[str] = field(default_factory=list)
    _owner: list[Listed] = field(default_factory=list)
    _spelt: list[str] = field(default_factory=list)
    _kept: dict[tuple[str, ...], list[Match]] = field(default_factory=dict)
    _by_number: dict[str, list[tuple[str, str, Listed]]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for entry in self.entries:
            for name in entry.names:
                self._plain.append(plain_name(name))
                self._owner.append(entry)
                self._spelt.append(name)
            for address in entry.addresses:
                plain = plain_name(address)
                for number in {word for word in plain.split() if word.isdigit()}:
                    self._by_number.setdefault(number, []).append((plain, address, entry))

    def matches(self, *recipient: str, country: str = "") -> list[Match]:
        """Return the entries that any of the recipient's names is like, the likest first.

        The score is the share of letters in common with the words in any order (Levenshtein, words sorted); six
        points less where both countries are known and differ.  From ``NEAR`` on it counts.
        """
        best: dict[str, Match] = {}
        for name in filter(None, recipient):
            for index, similar in self._alike(plain_name(name)):
                entry = self._owner[index]
                elsewhere = bool(entry.country and country and entry.country != country)
                score = similar - (6 if elsewhere else 0)
                if score >= NEAR and (entry.key not in best or best[entry.key].score < score):
                    best[entry.key] = Match(entry, score, self._words(name, index, similar, elsewhere))
        return sorted(best.values(), key=lambda m: (-m.score, m.entry.key))

    def matches_at(self, to: Address) -> list[Match]:
        """Return the entries at whose address a recipient is, the likest first, whatever they are called.

        Only an address with a house number is one that can be compared: the same numbers, and all words of street and
        city alike (Levenshtein, words in common taken out first).
        """
        street = plain_name(to.street)
        numbers = {word for word in street.split() if word.isdigit()}
        if numbers.isdisjoint(self._by_number):
            return []
        place = f"{street} {plain_name(to.city)}"
        best: dict[str, Match] = {}
        for number in numbers:
            for plain, spelt, entry in self._by_number.get(number, ()):
                if entry.country and to.country and entry.country != to.country:
                    continue
                score = int(fuzz.token_set_ratio(place, plain))
                if not numbers <= set(plain.split()) or score < NEAR or not _share_a_street(street, plain):
                    continue
                if entry.key not in best or best[entry.key].score < score:
                    words = f"“{to.street}, {to.city}” is {score} % like the address “{spelt}” of {entry.names[0]}"
                    best[entry.key] = Match(entry, score, f"{words} on {entry.source or 'the list'}")
        return sorted(best.values(), key=lambda m: (-m.score, m.entry.key))

    def of(self, to: Address) -> list[Match]:
        """Return the entries that a recipient is like by name, then those at whose address they are."""
        key = (to.name, to.company, to.street, to.city, to.country)
        found = self._kept.get(key)
        if found is None:
            by_name = self.matches(to.name, to.company, country=to.country)
            named = {match.entry.key for match in by_name}
            found = [*by_name, *(match for match in self.matches_at(to) if match.entry.key not in named)]
            if len(self._kept) >= KEPT:
                self._kept.clear()
            self._kept[key] = found
        return found

    def _alike(self, plain: str) -> list[tuple[int, int]]:
        if len(plain) < 4:
            return []
        found = process.extract(plain, self._plain, scorer=fuzz.token_sort_ratio, score_cutoff=NEAR, limit=20)
        return [(index, int(score)) for _, score, index in found]

    def _words(self, name: str, index: int, similar: int, elsewhere: bool) -> str:
        entry = self._owner[index]
        how = "is the same as" if similar >= SURE else f"is {similar} % like"
        where = f", but that one is in {entry.country}" if elsewhere else ""
        return f"“{name}” {how} “{self._spelt[index]}” on {entry.source or 'the list'}{where}"


def _share_a_street(street: str, listed: str) -> bool:
    """Tell whether a word of the street stands in the listed address: a town and a number alone are no address."""
    words = [word for word in street.split() if len(word) > 3 and not word.isdigit()]
    return any(fuzz.ratio(word, other) >= NEAR for word in words for other in listed.split())


def uncleared(screen: Screen | None, to: Address, cleared: Collection[str]) -> list[Match]:
    """Return the entries that a recipient is like and that nobody has cleared as they stand now."""
    return [match for match in screen.of(to) if match.entry.stamp not in cleared] if screen else []
