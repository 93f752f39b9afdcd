"""Days as files write them: which of two figures is the day is known from the column or said, never guessed."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import date
from typing import Literal

DayOrder = Literal["", "dmy", "mdy"]
"""Day first, month first, or not known."""
_ISO = re.compile(r"(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})(?!\d)")
_FIGURES = re.compile(r"(\d{1,2})([/.\- ])(\d{1,2})\2(\d{4}|\d{2})(?!\d)")
_IN_WORDS = re.compile(
    r"(?:(\d{1,2})\.?\s*(?:de\s+)?([^\W\d_]{3,})|([^\W\d_]{3,})\s+(\d{1,2})),?\.?\s*(?:de\s+)?(\d{4})"
)
# Enough letters of each month, in the languages that sellers meet.
_MONTHS = (
    ("jan", "ene", "gen", "janv"), ("feb", "fev", "fév"), ("mar", "mär", "mrt", "maa"), ("apr", "abr", "avr"),
    ("may", "mai", "mei", "mag"), ("jun", "juin", "giu"), ("jul", "juil", "lug"), ("aug", "ago", "aoû", "aou"),
    ("sep", "set"), ("oct", "okt", "out", "ott"), ("nov",), ("dec", "dez", "dic", "déc"),
)  # fmt: skip


class TwoDays(ValueError):
    """What is written can be two days, and nobody has said which figure is the month."""


def day_order(texts: Iterable[str]) -> DayOrder:
    """Return which figure comes first in a column of days; empty where its cells leave that open, or disagree."""
    found: set[DayOrder] = set()
    for text in texts:
        figures = _FIGURES.match(text.strip())
        if figures is None:
            continue
        first, mark, second = int(figures[1]), figures[2], int(figures[3])
        if first > 12 or mark == ".":  # points part days wherever the day comes first
            found.add("dmy")
        elif second > 12:
            found.add("mdy")
    return found.pop() if len(found) == 1 else ""


def read_day(text: str, order: DayOrder = "") -> date | None:
    """Return the day that a cell names, whatever time stands behind it; None for an empty one.

    Raises TwoDays where it can be two and ``order`` does not say which, ValueError for what is no day.
    """
    plain = text.strip().casefold()
    if not plain:
        return None
    if iso := _ISO.match(plain):
        return date(int(iso[1]), int(iso[2]), int(iso[3]))
    if figures := _FIGURES.match(plain):
        return _of_figures(int(figures[1]), int(figures[3]), figures[4], figures[2], order)
    if words := _IN_WORDS.search(plain):
        return date(int(words[5]), _month(words[2] or words[3]), int(words[1] or words[4]))
    raise ValueError(text)


def _of_figures(first: int, second: int, year: str, mark: str, order: DayOrder) -> date:
    whole = int(year) if len(year) == 4 else 2000 + int(year)
    day_first = first > 12 or mark == "." or order == "dmy" or first == second
    if not day_first and second <= 12 and order != "mdy":
        raise TwoDays
    day, month = (first, second) if day_first else (second, first)
    return date(whole, month, day)


def _month(word: str) -> int:
    return next(n for n, names in enumerate((*_MONTHS, ("",)), 1) if word.startswith(names))
