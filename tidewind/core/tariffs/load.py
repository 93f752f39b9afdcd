"""Many consignments as columns, so that prices are worked out for thousands of them at once."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from operator import attrgetter
from typing import Generic, TypeVar

import numpy as np
import numpy.typing as npt

from tidewind.core.consignments import Consignment, Destination
from tidewind.core.quantities import Size

Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
_NOTHING: frozenset[str] = frozenset()
Value = TypeVar("Value", bound=Hashable)


@dataclass(frozen=True, slots=True)
class Kinds(Generic[Value]):
    """A column of values of which there are few: each row's number, and the values by number."""

    numbers: Ints
    values: tuple[Value, ...]

    def where(self, test: Callable[[Value], bool]) -> Flags | bool:
        """Return the rows whose value passes a test; one answer for all where there is but one value."""
        if len(self.values) <= 1:
            return all(map(test, self.values))
        return np.fromiter(map(test, self.values), np.bool_, len(self.values))[self.numbers]


@dataclass(frozen=True, slots=True)
class Load:
    """Columns over parcels (g, mm, mm, mm, mm, mm³), and over the consignments they belong to.

    ``starts`` holds where each consignment's parcels begin; ``first`` marks those parcels.  Sides stand longest first.
    """

    gross: Ints
    sides: Ints
    girth: Ints
    mm3: Ints
    not_stackable: Flags
    packaging: Kinds[str | None]
    owner: Ints
    first: Flags
    starts: Ints
    value: Ints
    count: Ints
    contents: Kinds[frozenset[str]]
    extras: Kinds[frozenset[str]]
    po_box: Flags
    home: Flags
    point: Flags
    to: Kinds[Destination]

    @property
    def asked(self) -> frozenset[str]:
        """Every extra that one of the consignments asks for (of a part of a load: may ask for)."""
        return _NOTHING.union(*self.extras.values)

    def __len__(self) -> int:
        """How many consignments there are."""
        return len(self.starts)

    def rows(self, wanted: Ints) -> Load:
        """Return these consignments only, in this order; ``wanted`` rises."""
        mine = wanted
        if len(self.owner) != len(self):
            chosen = np.zeros(len(self), np.bool_)
            chosen[wanted] = True
            mine = np.flatnonzero(chosen[self.owner])
        count = self.count[wanted]
        return Load(
            self.gross[mine],
            self.sides[:, mine],
            self.girth[mine],
            self.mm3[mine],
            self.not_stackable[mine],
            Kinds(self.packaging.numbers[mine], self.packaging.values),
            np.repeat(np.arange(len(wanted)), count),
            self.first[mine],
            np.cumsum(count) - count,
            self.value[wanted],
            count,
            *self._asked_and_where(wanted),
        )

    def in_one_box(self, wanted: Ints, gross: Ints, size: Size, packaging: str | None) -> Load:
        """Return these consignments, each in one parcel of this size and its own gross weight; ``wanted`` rises."""
        count, each = len(wanted), np.arange(len(wanted))
        bare = np.logical_or.reduceat(self.not_stackable, self.starts)[wanted] if count else np.zeros(0, np.bool_)
        return Load(
            gross,
            np.repeat(np.array([[size.longest], [size.middle], [size.shortest]], np.int64), count, axis=1),
            np.full(count, size.girth_mm, np.int64),
            np.full(count, size.mm3, np.int64),
            bare,
            Kinds(np.zeros(count, np.int64), (packaging,) if count else ()),
            each,
            np.ones(count, np.bool_),
            each,
            self.value[wanted],
            np.ones(count, np.int64),
            *self._asked_and_where(wanted),
        )

    def _asked_and_where(
        self, wanted: Ints
    ) -> tuple[Kinds[frozenset[str]], Kinds[frozenset[str]], Flags, Flags, Flags, Kinds[Destination]]:
        """Return of these consignments what lies in them, the extras, and where they go: the last of the columns."""
        return (
            Kinds(self.contents.numbers[wanted], self.contents.values),
            Kinds(self.extras.numbers[wanted], self.extras.values),
            self.po_box[wanted],
            self.home[wanted],
            self.point[wanted],
            Kinds(self.to.numbers[wanted], self.to.values),
        )

    def sums(self, column: Ints) -> Ints:
        """Return a column over parcels added up by consignment."""
        return column if len(column) == len(self.starts) else np.add.reduceat(column, self.starts)


_figures = attrgetter("gross_g", "size.longest", "size.middle", "size.shortest", "girth_mm", "mm3")
_destination = attrgetter("route.ends")


def load_of(consignments: Sequence[Consignment]) -> Load:
    """Return consignments as columns.  Raises ValueError for one without parcels."""
    parcels = [parcel for c in consignments for parcel in c.parcels]
    count = np.array([len(c.parcels) for c in consignments], np.int64)
    if count.size and count.min() < 1:
        raise ValueError("a consignment has no parcels")
    starts = np.cumsum(count) - count
    first = np.zeros(len(parcels), np.bool_)
    first[starts] = True
    figures = np.array(list(map(_figures, parcels)), np.int64).reshape(-1, 6).T.copy()
    return Load(
        gross=figures[0],
        sides=figures[1:4],
        girth=figures[4],
        mm3=figures[5],
        not_stackable=np.array([p.not_stackable for p in parcels], np.bool_),
        packaging=kinds_of([p.packaging for p in parcels]),
        owner=np.repeat(np.arange(len(consignments)), count),
        first=first,
        starts=starts,
        value=np.array([c.goods.value for c in consignments], np.int64),
        count=count,
        contents=kinds_of([c.goods.contents for c in consignments]),
        extras=kinds_of([c.extras for c in consignments]),
        po_box=np.array([c.route.po_box for c in consignments], np.bool_),
        home=np.array([c.route.home for c in consignments], np.bool_),
        point=np.array([bool(c.route.point) for c in consignments], np.bool_),
        to=kinds_of(list(map(_destination, consignments))),
    )


def kinds_of(values: Sequence[Value]) -> Kinds[Value]:
    """Return the kinds of values, in the order in which they come first."""
    known: dict[Value, int] = {}
    numbers = np.array([known.setdefault(value, len(known)) for value in values], np.int64)
    return Kinds(numbers, tuple(known))
