"""Which boxes, how many parcels, and what they weigh.

Items are placed at extreme points (Crainic, Perboli, Tadei 2008: corners left free by what is already placed)
by a depth-first search with a cap on its nodes, so the answer is deterministic and bounded in time.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from itertools import groupby, permutations
from operator import attrgetter

from tidewind.core.frozen import frozen
from tidewind.core.quantities import Refused, Size, weight_text

NODE_CAP, MOST_WORK = 1_200, 60_000
"""Pieces laid while one box is tried, and spots looked at while a whole lot is parted: beyond that pieces are laid in
rows and layers, which may take a parcel more and never one too few.  Counted, not timed: the same goods are always
packed the same, at the checkout as in their order, however busy the machine is."""
EXACT_UNITS = 40
"""Above this many units in one box they are laid in rows and layers, which finds a place for each or says no."""
MOST_PARCELS, MOST_UNITS = 60, 2_000
MOST_KINDS_TRIED = 30

NO_SIZE = (1, 1, 1)
"""Stands for the sides, in mm, of what nobody has measured; no real piece is as small."""

Spot = tuple[int, int, int]
Sides = tuple[int, int, int]
Shape = tuple[Sides, bool]
"""Sides as given (mm), and whether it must stay upright."""
Box = tuple[int, int, int, int, int, int]
_UNMEASURED: frozenset[Shape] = frozenset({(NO_SIZE, True), (NO_SIZE, False)})


@frozen
class Unit:
    """One piece to pack: which order line it belongs to, its sides as given (height last) and weight."""

    line: str
    sides: tuple[int, int, int]
    weight_g: int
    upright: bool = False
    own_box: bool = False
    mm3: int = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        """Work out the volume, which every box asks for."""
        object.__setattr__(self, "mm3", self.sides[0] * self.sides[1] * self.sides[2])


@dataclass(frozen=True, slots=True)
class Packaging:
    """A box, bag, envelope or tube: inner and outer size, own weight, padding, most load, cost in minor units.

    ``holds_g`` is the range of goods weight it is meant for, where the shop chooses packaging by weight.  ``mm3`` is
    the inner volume; ``rank`` puts boxes in order: the smallest first, of equals the cheaper, then by code.
    """

    code: str
    name: str
    inner: tuple[int, int, int]
    outer: Size
    own_g: int
    padding_g: int
    max_load_g: int
    cost: int = 0
    carrier: str | None = None
    holds_g: tuple[int, int] | None = None
    mm3: int = field(init=False, compare=False, repr=False)
    rank: tuple[int, int, str] = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        """Work out what every lot asks for."""
        object.__setattr__(self, "mm3", self.inner[0] * self.inner[1] * self.inner[2])
        object.__setattr__(self, "rank", (self.mm3, self.cost, self.code))


@frozen
class PackedParcel:
    """One parcel: its packaging (None where the goods are their own box), what is in it, the parts of its weight."""

    packaging: Packaging | None
    contents: tuple[tuple[str, int], ...]
    goods_g: int
    packaging_g: int
    padding_g: int
    outer: Size
    fill_percent: int

    @property
    def gross_g(self) -> int:
        """Goods, packaging and padding together, in grams."""
        return self.goods_g + self.packaging_g + self.padding_g


@lru_cache(maxsize=8192)
def _turns(sides: Sides, upright: bool) -> tuple[Sides, ...]:
    a, b, c = sides
    if upright:
        return tuple(sorted({(a, b, c), (b, a, c)}))
    return tuple(sorted({(x, y, z) for x, y, z in permutations((a, b, c))}))


@dataclass(slots=True)
class Effort:
    """What may still be spent on looking for places, in spots looked at."""

    left: int = MOST_WORK


class _Search:
    """The depth-first search for one box; ``cap`` counts down over the whole of it, ``work`` counts spots looked at."""

    def __init__(self, inner: Sides, shapes: Sequence[Shape], cap: int) -> None:
        self.inner, self.shapes, self.cap, self.work = inner, shapes, cap, 0

    def run(self, index: int, placed: list[Box], points: list[Spot]) -> bool:
        if index == len(self.shapes):
            return True
        for box in self._places(self.shapes[index], placed, points):
            self.cap -= 1
            if self.cap < 0:
                return False
            x1, y1, z1, x2, y2, z2 = box
            fresh = [(x2, y1, z1), (x1, y2, z1), (x1, y1, z2)]
            rest = sorted({*(p for p in points if p != (x1, y1, z1)), *fresh}, key=lambda p: (p[2], p[1], p[0]))
            if self.run(index + 1, [*placed, box], rest):
                return True
        return False

    def _places(self, shape: Shape, placed: list[Box], points: list[Spot]) -> Iterator[Box]:
        # Looked at a hundred times for each piece: written out, since a call for each pair takes twice as long.
        length, width, height = self.inner
        turns = _turns(*shape)
        for x1, y1, z1 in points:
            for dx, dy, dz in turns:
                self.work += 1
                x2, y2, z2 = x1 + dx, y1 + dy, z1 + dz
                if x2 > length or y2 > width or z2 > height:
                    continue
                for a1, b1, c1, a2, b2, c2 in placed:
                    if x1 < a2 and a1 < x2 and y1 < b2 and b1 < y2 and z1 < c2 and c1 < z2:
                        break
                else:
                    yield (x1, y1, z1, x2, y2, z2)


_rank = attrgetter("rank")


def fits(units: Sequence[Unit], packaging: Packaging, cap: int = NODE_CAP) -> bool:
    """Tell whether all ``units`` go into ``packaging`` together, by weight and by real 3-D fit.

    Never says yes to what cannot be packed; with many pieces the search may give up and say no (node cap).
    Above ``EXACT_UNITS`` pieces they are laid in rows and layers.
    """
    return Lot(units).goes_into(packaging, cap)


class Lot(tuple[Unit, ...]):
    """Pieces that are to go into one box together, measured once for all the boxes they are tried in.

    ``contents`` are how many of which order line, ``own_boxes`` tells that some are their own box, and ``measured``
    that every piece has a size, so that what fits into what can be reckoned at all.
    """

    contents: dict[str, int]
    weight_g: int
    mm3: int
    own_boxes: bool
    shapes: set[Shape]
    measured: bool

    def __new__(cls, units: Iterable[Unit]) -> Lot:
        """Return the pieces measured; a lot stays what it is."""
        if isinstance(units, Lot):
            return units
        lot = super().__new__(cls, units)
        contents: dict[str, int] = {}
        weight_g, mm3, own_boxes = 0, 0, False
        for unit in lot:
            contents[unit.line] = contents.get(unit.line, 0) + 1
            weight_g += unit.weight_g
            mm3 += unit.mm3
            own_boxes = own_boxes or unit.own_box
        lot.contents, lot.weight_g, lot.mm3, lot.own_boxes = contents, weight_g, mm3, own_boxes
        lot.shapes = {(u.sides, u.upright) for u in lot}
        lot.measured = lot.shapes.isdisjoint(_UNMEASURED)
        return lot

    def goes_into(self, box: Packaging, cap: int = NODE_CAP, effort: Effort | None = None) -> bool:
        """Tell whether all pieces go in, by weight, volume and real 3-D fit; what that takes comes off ``effort``."""
        if self.weight_g > box.max_load_g or self.mm3 > box.mm3:
            return False
        for sides, upright in self.shapes:
            if not _enters(sides, upright, box.inner):
                return False
        if len(self) == 1:
            return True
        if len(self) > EXACT_UNITS or (effort is not None and effort.left <= 0):
            return in_layers([(u.sides, u.upright) for u in self], box.inner)
        found, work = _found(box.inner, self._large_first, cap)
        if effort is not None:
            effort.left -= work
        return found

    @cached_property
    def _large_first(self) -> tuple[Shape, ...]:
        return tuple(sorted(((u.sides, u.upright) for u in self), key=_large_first))


def in_layers(shapes: Sequence[Shape], inner: Sides) -> bool:
    """Tell whether pieces go in when they are laid in rows, rows in layers, layers on each other, the tallest first.

    A yes is a packing; a no may be too careful.  A box without upright pieces is tried with each side up.
    """
    ups = {(a, b, c) for a, b, c in permutations(inner)} if not any(up for _, up in shapes) else {inner}
    return any(_laid(shapes, sides) for sides in sorted(ups))


def _laid(shapes: Sequence[Shape], inner: Sides) -> bool:
    length, width, height = inner
    turned = [_flat(shape, inner) for shape in shapes]
    x = y = z = row = layer = 0
    for piece in sorted((t for t in turned if t), key=lambda t: (-t[2], -t[1], -t[0])):
        dx, dy, dz = piece
        if x + dx > length:
            x, y, row = 0, y + row, 0
        if y + dy > width:
            x, y, row, z, layer = 0, 0, 0, z + layer, 0
        if z + dz > height:
            return False
        x, row, layer = x + dx, max(row, dy), max(layer, dz)
    return all(turned)


@lru_cache(maxsize=8192)
def _flat(shape: Shape, inner: Sides) -> Sides | None:
    """Return a piece as it is laid: of the turns that go in, the one of which most fill a layer, then the flattest."""
    length, width, height = inner
    possible = [t for t in _turns(*shape) if t[0] <= length and t[1] <= width and t[2] <= height]
    return max(possible, key=lambda t: ((length // t[0]) * (width // t[1]) * (height // t[2]), -t[2], t), default=None)


def _large_first(shape: Shape) -> tuple[int, int, Shape]:
    a, b, c = shape[0]
    return -max(a, b, c), -a * b * c, shape


@lru_cache(maxsize=65_536)
def _found(inner: Sides, shapes: tuple[Shape, ...], cap: int) -> tuple[bool, int]:
    """Tell whether the search finds places for all shapes, and after how many spots.

    Kept, since the same baskets come again and again; one that is kept is counted like one that is made.
    """
    search = _Search(inner, shapes, cap)
    return search.run(0, [], [(0, 0, 0)]), search.work


@lru_cache(maxsize=65_536)
def _enters(sides: Sides, upright: bool, inner: Sides) -> bool:
    length, width, height = inner
    if not upright:
        return all(a <= b for a, b in zip(sorted(sides), sorted(inner), strict=True))
    return any(a <= length and b <= width and c <= height for a, b, c in _turns(sides, upright))


def too_full(lot: Lot, box: Packaging) -> str:
    """Return in words why a lot does not go into a box: its load, or its size."""
    if lot.weight_g > box.max_load_g:
        return f"{weight_text(lot.weight_g)} in it, {box.name} carries {weight_text(box.max_load_g)}"
    return f"not everything fits into {box.name}"


def smallest(lot: Lot, boxes: Sequence[Packaging], effort: Effort | None = None) -> Packaging | None:
    """Return the smallest box by volume (then cost, then code) that takes the whole lot, or None."""
    for box in sorted(boxes, key=_rank):
        if lot.goes_into(box, effort=effort):
            return box
    return None


def all_that_take(units: Sequence[Unit], boxes: Sequence[Packaging]) -> list[Packaging]:
    """Return every box that takes all units together, smallest first."""
    lot = Lot(units)
    return [box for box in sorted(boxes, key=_rank) if lot.goes_into(box)]


def parcel_of(lot: Lot, packaging: Packaging) -> PackedParcel:
    """Return the parcel that a lot makes in ``packaging``, with the parts of its gross weight."""
    return PackedParcel(
        packaging=packaging,
        contents=tuple(lot.contents.items()),
        goods_g=lot.weight_g,
        packaging_g=packaging.own_g,
        padding_g=packaging.padding_g,
        outer=packaging.outer,
        fill_percent=lot.mm3 * 100 // packaging.mm3 if packaging.mm3 else 0,
    )


def _own_parcel(unit: Unit) -> PackedParcel:
    return PackedParcel(None, ((unit.line, 1),), unit.weight_g, 0, 0, Size.of(*unit.sides), 100)


def pack(units: Sequence[Unit], boxes: Sequence[Packaging]) -> tuple[PackedParcel, ...] | Refused:
    """Return the parcels that hold all ``units``, or why they cannot be packed.

    One box where one will do; else the largest is filled first and each lot put into the smallest box that holds
    it.  Goods that are their own box each make a parcel.  Refused: ``nothing_fits`` or ``too_many_parcels``.
    """
    whole, rest = Lot(units), units
    parcels: list[PackedParcel] = []
    if whole.own_boxes:
        parcels = [_own_parcel(u) for u in units if u.own_box]
        rest = [u for u in units if not u.own_box]
        whole = Lot(rest)
    if len(parcels) > MOST_PARCELS:
        return Refused("too_many_parcels", f"{len(parcels)} parcels, more than {MOST_PARCELS}")
    if len(rest) > MOST_UNITS:
        return Refused("too_many_pieces", f"{len(rest):,} pieces; up to {MOST_UNITS:,} are packed by the program")
    if rest:
        effort = Effort()
        one = smallest(whole, boxes, effort)
        if one:
            return (*parcels, parcel_of(whole, one))
        lots = _split(rest, boxes, effort)
        if isinstance(lots, Refused):
            return lots
        for pieces, found_in in lots:
            lot = Lot(pieces)
            box = smallest(lot, boxes, effort) or found_in
            parcels.append(parcel_of(lot, box))
    return tuple(parcels)


def _split(
    units: Sequence[Unit], boxes: Sequence[Packaging], effort: Effort
) -> list[tuple[list[Unit], Packaging]] | Refused:
    """Return lots, each with a box that takes it, the largest boxes filled first."""
    waiting = sorted(units, key=lambda u: (-u.mm3, -u.weight_g, u.line))
    for unit in waiting:
        if smallest(Lot([unit]), boxes) is None:
            light = replace(unit, weight_g=0)
            load = "too_heavy_for_boxes" if smallest(Lot([light]), boxes) else "nothing_fits"
            return Refused(load, unit.line)
    by_size = sorted(boxes, key=lambda b: (-b.mm3, b.code))
    lots: list[tuple[list[Unit], Packaging]] = []
    while waiting:
        if len(lots) == MOST_PARCELS:
            return Refused("too_many_parcels", f"more than {MOST_PARCELS} parcels")
        box = next(b for b in by_size if fits([waiting[0]], b))
        lot, waiting = _fill(waiting, box, effort)
        lots.append((lot, box))
    return lots


def _fill(units: Sequence[Unit], box: Packaging, effort: Effort) -> tuple[list[Unit], list[Unit]]:
    """Return what goes into ``box``, the first ones first, and the rest; a kind that failed once is not tried again."""
    lot: list[Unit] = []
    rest: list[Unit] = []
    failed = 0
    for unit, run in groupby(units):
        count = len(list(run))
        taken = _how_many(lot, unit, count, box, effort) if failed <= MOST_KINDS_TRIED else 0
        failed += taken < count
        lot += [unit] * taken
        rest += [unit] * (count - taken)
    return lot, rest


def _how_many(lot: list[Unit], unit: Unit, count: int, box: Packaging, effort: Effort) -> int:
    """Return how many of a kind go in beside what is in there: one by one while few, else by halving."""
    by_load = (box.max_load_g - sum(u.weight_g for u in lot)) // unit.weight_g if unit.weight_g else count
    by_room = (box.mm3 - sum(u.mm3 for u in lot)) // unit.mm3
    most = max(min(count, by_load, by_room), 0)
    if len(lot) + count <= EXACT_UNITS:
        taken = 0
        while taken < most and Lot([*lot, *[unit] * (taken + 1)]).goes_into(box, 400, effort):
            taken += 1
        return taken
    low, high = 0, most + 1  # so many go in, so many do not
    while high - low > 1:
        middle = (low + high) // 2
        if Lot([*lot, *[unit] * middle]).goes_into(box, 400, effort):
            low = middle
        else:
            high = middle
    return low
