"""Which of many rows holds first for a destination: looked up, so that five thousand rows cost as fifty."""

from __future__ import annotations

import heapq
from bisect import bisect_left, bisect_right
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from tidewind.core.checkout.reach import Reach, patterns_in
from tidewind.core.tariffs.zones import bounds_of, plain_postcode

ANY = ""
"""Stands for every country, in rows that name none."""
_AFTER = "~"
"""Behind a beginning of a postcode it sorts after everything that begins so, and before the next one."""


@dataclass(frozen=True, slots=True)
class _Segments:
    """The stretches between the ends of ranges, from ``points[n]`` up to the next, and the first row in each."""

    points: tuple[str, ...]
    rows: tuple[int | None, ...]

    def at(self, key: str) -> int | None:
        place = bisect_right(self.points, key) - 1
        return self.rows[place] if place >= 0 else None

    def within(self, low: str, high: str) -> Iterator[int | None]:
        """Yield the first row of each stretch that a range touches."""
        first = bisect_right(self.points, low) - 1
        last = bisect_left(self.points, high + _AFTER)
        if first < 0:
            yield None
        yield from self.rows[max(first, 0) : last]


class RowIndex:
    """Rows by country and postcode; those with regions or exclusions are asked one by one, in their order."""

    def __init__(self, reaches: Sequence[Reach]) -> None:
        self._reaches = reaches
        self._whole: dict[str, int] = {}
        self._asked = tuple(n for n, reach in enumerate(reaches) if not _is_plain(reach))
        ranges: defaultdict[tuple[str, int], list[tuple[str, str, int]]] = defaultdict(list)
        for n, reach in enumerate(reaches):
            for country in (reach.countries or {ANY}) if _is_plain(reach) else ():
                patterns = patterns_in(reach.postcodes, country)
                if not patterns:
                    self._whole.setdefault(country, n)
                for low, high in map(bounds_of, patterns):
                    ranges[country, len(low)].append((low, high + _AFTER, n))
        self._segments = {key: _segments(found) for key, found in ranges.items()}
        self._sizes: defaultdict[str, list[int]] = defaultdict(list)
        for country, size in sorted(self._segments):
            self._sizes[country].append(size)

    def first(self, country: str, postcode: str, region: str = "") -> int | None:
        """Return the place of the first row that holds for a destination, None where none does."""
        plain, found = plain_postcode(postcode), list[int]()
        for known in (country, ANY):
            if known in self._whole:
                found.append(self._whole[known])
            for size in self._sizes.get(known, ()):
                if len(plain) >= size and (row := self._segments[known, size].at(plain[:size])) is not None:
                    found.append(row)
        best = min(found, default=None)
        for n in self._asked:
            if best is not None and n > best:
                break
            if self._reaches[n].holds(country, postcode, region):
                return n
        return best

    def hiding(self, n: int) -> tuple[int, ...]:
        """Return the rows above that take everything that a row names; none where something reaches it, or may."""
        reach, above = self._reaches[n], set[int]()
        if not reach.countries and reach.postcodes:
            return ()
        for country in reach.countries or {ANY}:
            whole = min((self._whole[k] for k in (country, ANY) if k in self._whole), default=None)
            if whole is not None and whole < n:
                above.add(whole)
                continue
            patterns = patterns_in(reach.postcodes, country)
            for low, high in map(bounds_of, patterns):
                taken = self._taken(country, low, high, n)
                if not taken:
                    return ()
                above |= taken
            if not patterns:
                return ()
        return tuple(sorted(above))

    def _taken(self, country: str, low: str, high: str, n: int) -> set[int]:
        """Return the rows before ``n`` that take a whole range between them; nothing where a part of it is left."""
        for known in (country, ANY):
            for size in self._sizes.get(known, ()):
                if size > len(low):
                    continue
                rows = set(self._segments[known, size].within(low[:size], high[:size]))
                if rows and all(row is not None and row < n for row in rows):
                    return {row for row in rows if row is not None}
        return set()


def _is_plain(reach: Reach) -> bool:
    if reach.regions or reach.not_postcodes or reach.not_countries:
        return False
    return bool(reach.countries) or not any(":" in pattern for pattern in reach.postcodes)


def _segments(ranges: Sequence[tuple[str, str, int]]) -> _Segments:
    """Return the stretches between the ends of ranges (from, up to, row) with the least row that is open in each."""
    starting = sorted(ranges)
    points = sorted({end for low, high, _ in ranges for end in (low, high)})
    rows: list[int | None] = []
    open_: list[tuple[int, str]] = []
    at = 0
    for point in points:
        while at < len(starting) and starting[at][0] <= point:
            heapq.heappush(open_, (starting[at][2], starting[at][1]))
            at += 1
        while open_ and open_[0][1] <= point:
            heapq.heappop(open_)
        rows.append(open_[0][0] if open_ else None)
    return _Segments(tuple(points), tuple(rows))
