"""The way of a parcel as a quiet drawing: land, great circles between the places it was seen at, and their names."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Literal

from tidewind.core.earth.land import Point, borders_in, coasts_in
from tidewind.core.pickups.points import Spot

WIDTH, HEIGHT = 600, 360
"""Units of the drawing."""
_MARGIN, _SMALLEST_DEGREES, _FURTHEST_NORTH = 56, 3.0, 80.0
_BORDERS_UP_TO_DEGREES = 80.0  # of a wider view they would be a net, and half of its bytes
_STEP_DEGREES, _LETTER, _LINE = 3.0, 12, 26
"""A great circle is drawn in steps; a letter and a line are as large as where it is drawn smallest."""
StopKind = Literal["home", "seen", "now", "goal"]


@dataclass(frozen=True, slots=True)
class Stop:
    """A place on the way: where we send from, where it was seen, where it is now, where it goes."""

    name: str
    spot: Spot
    kind: StopKind


@dataclass(frozen=True, slots=True)
class Mark:
    """A stop in the drawing; without a name where another's stands there already."""

    x: int
    y: int
    kind: StopKind
    name: str
    side: Literal["start", "end"]


@dataclass(frozen=True, slots=True)
class Drawn:
    """Paths as SVG 1.1 writes them (8.3), in a box of 600 by 360: behind it, still to come, and what lies around."""

    land: str
    borders: str
    gone: str
    ahead: str
    marks: tuple[Mark, ...]


@lru_cache(maxsize=256)
def drawn(stops: tuple[Stop, ...]) -> Drawn | None:
    """Return the way through stops in their order; None where fewer than two places are known."""
    if len({stop.spot for stop in stops}) < 2:
        return None
    legs = _unrolled([_leg(one.spot, other.spot) for one, other in pairwise(stops)])
    window = _Window(point for leg in legs for point in leg)
    at = [legs[0][0], *(leg[-1] for leg in legs)]
    gone: list[list[Point]] = []
    ahead: list[list[Point]] = []
    for leg, stop in zip(legs, stops[1:], strict=True):
        (ahead if stop.kind == "goal" else gone).append([window.project(p) for p in leg])
    box = window.box
    borders = borders_in(box, window.project, WIDTH, HEIGHT)
    return Drawn(
        land="".join(f"{_path(line)}z" for line in coasts_in(box, window.project, WIDTH, HEIGHT)),
        borders="".join(_path(line) for line in borders) if box[2] - box[0] < _BORDERS_UP_TO_DEGREES else "",
        gone="".join(map(_path, gone)),
        ahead="".join(map(_path, ahead)),
        marks=_marks([(stop, window.project(point)) for stop, point in zip(stops, at, strict=True)]),
    )


def _leg(one: Spot, other: Spot) -> list[Point]:
    """Return the shortest way between two places (great circle), in degrees, both ends with it."""
    ends = [tuple(math.radians(v / 1_000_000) for v in spot) for spot in (one, other)]
    first, last = ([math.cos(a) * math.cos(o), math.cos(a) * math.sin(o), math.sin(a)] for a, o in ends)
    angle = math.acos(max(-1.0, min(1.0, sum(a * b for a, b in zip(first, last, strict=True)))))
    steps = max(1, math.ceil(math.degrees(angle) / _STEP_DEGREES))
    if math.sin(angle) < 1e-9:  # the same place, or its antipode, to which every way is the shortest
        return [(o / 1_000_000, a / 1_000_000) for a, o in (one, other)]
    points = []
    for n in range(steps + 1):
        here, there = (math.sin(angle * part) / math.sin(angle) for part in (1 - n / steps, n / steps))
        x, y, z = (here * a + there * b for a, b in zip(first, last, strict=True))
        points.append((math.degrees(math.atan2(y, x)), math.degrees(math.atan2(z, math.hypot(x, y)))))
    return points


def _unrolled(legs: list[list[Point]]) -> list[list[Point]]:
    """Let the way run on over the date line, instead of starting anew at the other edge of the map."""
    before = legs[0][0][0]
    made = []
    for leg in legs:
        line = []
        for east, north in leg:
            before = east + 360 * round((before - east) / 360)
            line.append((before, north))
        made.append(line)
    return made


def _mercator(north: float) -> float:
    """Return how far up a latitude stands, in degrees of the equator (Mercator's projection)."""
    held = math.radians(max(-_FURTHEST_NORTH, min(_FURTHEST_NORTH, north)))
    return math.degrees(math.log(math.tan(math.pi / 4 + held / 2)))


class _Window:
    """What of the earth is drawn: all of the way with room around it, never nearer than some degrees."""

    def __init__(self, way: Iterable[Point]) -> None:
        points = [(east, _mercator(north)) for east, north in way]
        easts, ups = [p[0] for p in points], [p[1] for p in points]
        middle = (min(easts) + max(easts)) / 2, (min(ups) + max(ups)) / 2
        room_x, room_y = WIDTH - 2 * _MARGIN, HEIGHT - 2 * _MARGIN
        widest = max(max(easts) - min(easts), (max(ups) - min(ups)) * room_x / room_y, _SMALLEST_DEGREES)
        self._per_degree = room_x / widest
        self._left = middle[0] - WIDTH / 2 / self._per_degree
        self._top = middle[1] + HEIGHT / 2 / self._per_degree
        bottom = self._top - HEIGHT / self._per_degree
        self.box = (self._left, _latitude(bottom), self._left + WIDTH / self._per_degree, _latitude(self._top))

    def project(self, point: Point) -> Point:
        return (point[0] - self._left) * self._per_degree, (self._top - _mercator(point[1])) * self._per_degree


def _latitude(up: float) -> float:
    return math.degrees(2 * math.atan(math.exp(math.radians(up))) - math.pi / 2)


def _path(points: Sequence[Point]) -> str:
    """Write a line: to its first point, then step by step, in whole units."""
    whole = [(round(x), round(y)) for x, y in points]
    steps = [f"{b[0] - a[0]} {b[1] - a[1]}" for a, b in pairwise(whole) if a != b] or ["0 0"]
    return f"M{whole[0][0]} {whole[0][1]}l{' '.join(steps)}"


_FIRST_NAMED: tuple[StopKind, ...] = ("now", "goal", "home", "seen")


def _marks(stops: Sequence[tuple[Stop, Point]]) -> tuple[Mark, ...]:
    """Name the stops, what counts most first; a name that would stand on another's is left out."""
    taken: list[tuple[float, float, float, float]] = []
    names: dict[int, tuple[str, Literal["start", "end"]]] = {}
    for n in sorted(range(len(stops)), key=lambda n: _FIRST_NAMED.index(stops[n][0].kind)):
        stop, (x, y) = stops[n]
        side: Literal["start", "end"] = "end" if x > WIDTH * 2 / 3 else "start"
        long = len(stop.name) * _LETTER + 14
        box = (x - long if side == "end" else x, y - _LINE / 2, x if side == "end" else x + long, y + _LINE / 2)
        free = all(box[0] > t[2] or box[2] < t[0] or box[1] > t[3] or box[3] < t[1] for t in taken)
        if free:
            taken.append(box)
        names[n] = (stop.name if free else "", side)
    return tuple(Mark(round(x), round(y), stop.kind, *names[n]) for n, (stop, (x, y)) in enumerate(stops))
