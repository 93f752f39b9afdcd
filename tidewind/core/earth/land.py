"""The land and its borders, cut to a window (Natural Earth 1:50m, see docs/licences.md)."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from importlib import resources
from itertools import pairwise

Point = tuple[float, float]
"""Degrees east and north, or units of a drawing to the right and down."""
_TURN = 360.0


@dataclass(frozen=True, slots=True)
class Shape:
    """A coast or a border with the box around it: west, south, east, north."""

    points: tuple[Point, ...]
    box: tuple[float, float, float, float]


@cache
def _shapes() -> tuple[tuple[Shape, ...], tuple[Shape, ...]]:
    told = json.loads((resources.files("tidewind.data") / "map" / "land.json").read_text("ascii"))
    coasts, borders = (tuple(_shape(one) for one in told[kind]) for kind in ("rings", "borders"))
    return coasts, borders


def _shape(steps: Sequence[int]) -> Shape:
    """Read a line of steps of hundredths of a degree, each from the point before it."""
    x = y = 0
    points = []
    for east, north in zip(steps[::2], steps[1::2], strict=True):
        x, y = x + east, y + north
        points.append((x / 100, y / 100))
    easts, norths = [p[0] for p in points], [p[1] for p in points]
    return Shape(tuple(points), (min(easts), min(norths), max(easts), max(norths)))


def _within(shapes: Iterable[Shape], box: tuple[float, float, float, float]) -> Iterator[list[Point]]:
    """Return what touches the box; a window that reaches over the date line sees the land of the next turn, too."""
    west, south, east, north = box
    for shape in shapes:
        left, low, right, high = shape.box
        if low > north or high < south:
            continue
        for turn in (-_TURN, 0.0, _TURN):
            if left + turn <= east and right + turn >= west:
                yield [(x + turn, y) for x, y in shape.points]


def coasts_in(
    box: tuple[float, float, float, float], project: Callable[[Point], Point], width: float, height: float
) -> Iterator[list[Point]]:
    """Return the land within a box of degrees as closed lines of a drawing, cut off a little outside of it."""
    for points in _within(_shapes()[0], box):
        cut = _cut([project(p) for p in points], width, height)
        kept = _thinned(cut)
        if len(kept) > 2:
            yield kept


def borders_in(
    box: tuple[float, float, float, float], project: Callable[[Point], Point], width: float, height: float
) -> Iterator[list[Point]]:
    """Return the borders within a box of degrees as open lines of a drawing."""
    for points in _within(_shapes()[1], box):
        run: list[Point] = []
        for one, other in pairwise(project(p) for p in points):
            if _inside(one, width, height) or _inside(other, width, height):
                run = run or [one]
                run.append(other)
            elif run:
                yield _thinned(run)
                run = []
        if run:
            yield _thinned(run)


_MARGIN = 8.0


def _inside(point: Point, width: float, height: float) -> bool:
    return -_MARGIN <= point[0] <= width + _MARGIN and -_MARGIN <= point[1] <= height + _MARGIN


def _cut(points: list[Point], width: float, height: float) -> list[Point]:
    """Cut a closed line to the drawing, side by side (Sutherland and Hodgman, 1974)."""
    for axis, limit, sign in ((0, -_MARGIN, 1), (0, width + _MARGIN, -1), (1, -_MARGIN, 1), (1, height + _MARGIN, -1)):
        kept: list[Point] = []
        for one, other in zip(points, points[1:] + points[:1], strict=True):
            here, there = sign * (one[axis] - limit) >= 0, sign * (other[axis] - limit) >= 0
            if here:
                kept.append(one)
            if here != there:
                part = (limit - one[axis]) / (other[axis] - one[axis])
                kept.append((one[0] + part * (other[0] - one[0]), one[1] + part * (other[1] - one[1])))
        points = kept
        if not points:
            break
    return points


def _thinned(points: list[Point]) -> list[Point]:
    """Leave out points that nobody would miss: nearer than two units to the one before."""
    kept = points[:1]
    for point in points[1:]:
        if abs(point[0] - kept[-1][0]) + abs(point[1] - kept[-1][1]) >= 2:
            kept.append(point)
    return kept
