"""Codes of the Harmonized System: their form, and finding one by everyday words.

Six digits are the same in every country (International Convention on the Harmonized System, 1983); what follows is a
country's own.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from rapidfuzz import fuzz, process

from tidewind.core.screening import plain_name

MOST_DIGITS = 12
_NEAR = 84
_LITTLE = "a an and at for of on in the with without com da de di do e em para por um le les pour ein fur und von mit"
_STOP = frozenset(_LITTLE.split())


@lru_cache(4_096)
def plain_code(code: str) -> str:
    """Return a code's digits without points and spaces."""
    return "".join(ch for ch in code if ch not in ". \N{NO-BREAK SPACE}")


def bad_form(code: str, known: Sequence[str] = ()) -> str:
    """Return what is wrong with a code's form, or nothing; ``known`` are codes of which one must be its beginning."""
    plain = plain_code(code)
    if not plain.isascii() or not plain.isdigit():
        return "it has other signs than digits"
    if len(plain) < 6:
        return "it has fewer than six digits"
    if len(plain) > MOST_DIGITS:
        return f"it has more than {MOST_DIGITS} digits"
    if plain[:2] in {"00", "77"} or int(plain[:2]) > 97:
        return f"there is no chapter {plain[:2]}"
    return "" if not known or plain[:6] in known else "no such code is known"


def code_text(code: str) -> str:
    """Return a code as it is printed: ``8201.90``, and what a country adds in pairs."""
    plain = plain_code(code)
    rest = [plain[n : n + 2] for n in range(6, len(plain), 2)]
    return ".".join(part for part in (plain[:4], plain[4:6], *rest) if part)


@dataclass(frozen=True, slots=True)
class Entry:
    """One code of six digits, what it covers in words, the path to it, and everyday words for it in any language."""

    code: str
    text: str
    path: tuple[str, ...]
    words: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Hit:
    """A code that was found, and for which words."""

    entry: Entry
    score: int
    why: str


def read_entries(written: Iterable[Mapping[str, Any]], chapters: Mapping[str, str]) -> tuple[Entry, ...]:
    """Return entries from their written form; the chapter's name begins the path."""
    return tuple(
        Entry(
            one["code"],
            one["text"],
            (f"{one['code'][:2]} {chapters[one['code'][:2]]}", f"{one['code'][:4]} {one['heading']}"),
            tuple(one["words"]),
        )
        for one in written
    )


def stem(word: str) -> str:
    """Return a word without the endings of more than one, so that ``gloves`` finds ``glove``."""
    for ending, short in (("ies", "y"), ("sses", "ss"), ("shes", "sh"), ("ches", "ch"), ("xes", "x")):
        if word.endswith(ending) and len(word) > len(ending) + 1:
            return word[: -len(ending)] + short
    return word[:-1] if word.endswith("s") and not word.endswith("ss") and len(word) > 3 else word


def _stems(text: str) -> list[str]:
    return [stem(w) for w in plain_name(text).split() if w not in _STOP and not any(c.isdigit() for c in w)]


@dataclass(slots=True)
class CodeSearch:
    """Entries made ready for searching; ``own`` are (text, code) that the shop has chosen before.

    A word counts the more, the fewer entries have it; one that no entry has counts as the likest that one has.
    """

    entries: Sequence[Entry]
    own: Sequence[tuple[str, str]] = ()
    _having: dict[str, dict[int, int]] = field(default_factory=dict)
    _likest: dict[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        by_code = {entry.code: n for n, entry in enumerate(self.entries)}
        for n, entry in enumerate(self.entries):
            # Everyday words are there to find it, and weigh the most; words of the heading only help to decide.
            for weight, texts in ((4, entry.words), (2, (entry.text,)), (1, entry.path)):
                self._learn(n, weight, texts)
        for text, code in self.own:
            if code[:6] in by_code:
                self._learn(by_code[code[:6]], 3, (text,))

    def _learn(self, n: int, weight: int, texts: Sequence[str]) -> None:
        for text in texts:
            for word in _stems(text):
                having = self._having.setdefault(word, {})
                having[n] = max(having.get(n, 0), weight)

    def find(self, text: str, limit: int = 5) -> list[Hit]:
        """Return the entries that a text in everyday words most likely means, the likeliest first."""
        scores: dict[int, int] = {}
        whys: dict[int, list[str]] = {}
        digits = plain_code(text)
        if digits.isdigit() and len(digits) >= 2:
            found = [e for e in self.entries if e.code.startswith(digits[:6]) or digits.startswith(e.code)]
            return [Hit(e, 100, f"it begins with {digits[:6]}") for e in found[:limit]]
        asked = _stems(text)
        for place, word in enumerate(asked):
            known = word if word in self._having else self._like(word)
            having = self._having.get(known, {})
            for n, weight in having.items():
                # The last word names the thing in English (“steel garden fork”), the first in Romance languages.
                ends = 1 if place in {0, len(asked) - 1} else 0
                scores[n] = scores.get(n, 0) + (1000 * weight + 500 * ends) // (2 + len(having))
                whys.setdefault(n, []).append(known)
        best = sorted(scores, key=lambda n: (-scores[n], self.entries[n].code))[:limit]
        return [Hit(self.entries[n], scores[n], "for " + ", ".join(dict.fromkeys(whys[n]))) for n in best]

    def _like(self, word: str) -> str:
        if len(word) < 4:
            return ""
        if word not in self._likest:
            if len(self._likest) > 4_096:
                self._likest.clear()
            found = process.extractOne(word, self._having.keys(), scorer=fuzz.ratio, score_cutoff=_NEAR)
            self._likest[word] = found[0] if found else ""
        return self._likest[word]
