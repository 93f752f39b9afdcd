"""Many consignments as columns, so that prices are worked out for thousands of them at once."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tidewind.core.tariffs.card import Consignment, Parcel

Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class Kinds:
    """A column of values of which there are few: each row's number, and the values by number."""

    numbers: Ints
    values: tuple[frozenset[str], ...]

    def where(self, test: Callable[[frozenset[str]], bool]) -> Flags | bool:
        """Return the rows whose value passes a test; one answer for all where there is but one value."""
        if len(self.values) == 1:
            return test(self.values[0])
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
    packaging: Kinds
    owner: Ints
    first: Flags
    starts: Ints
    value: Ints
    count: Ints
    contents: Kinds
    extras: Kinds
    po_box: Flags

    def __len__(self) -> int:
        """How many consignments there are."""
        return len(self.starts)

    def sums(self, column: Ints) -> Ints:
        """Return a column over parcels added up by consignment."""
        return column if len(column) == len(self.starts) else np.add.reduceat(column, self.starts)


def load_of(consignments: Sequence[Consignment]) -> Load:
    """Return consignments as columns.  Raises ValueError for one without parcels."""
    parcels = [parcel for c in consignments for parcel in c.parcels]
    count = np.fromiter((len(c.parcels) for c in consignments), np.int64, len(consignments))
    if count.size and count.min() < 1:
        raise ValueError("a consignment has no parcels")
    starts = np.concatenate(([0], np.cumsum(count)[:-1])).astype(np.int64) if count.size else count
    first = np.zeros(len(parcels), np.bool_)
    first[starts] = True
    sides = _figures([p.size.longest for p in parcels], [p.size.middle for p in parcels],
                     [p.size.shortest for p in parcels])  # fmt: skip
    return Load(
        gross=_figures([p.gross_g for p in parcels])[0],
        sides=sides,
        girth=_figures([p.girth_mm for p in parcels])[0],
        mm3=_figures([p.mm3 for p in parcels])[0],
        not_stackable=np.fromiter((p.not_stackable for p in parcels), np.bool_, len(parcels)),
        packaging=_kinds([_box_of(p) for p in parcels]),
        owner=np.repeat(np.arange(len(consignments)), count),
        first=first,
        starts=starts,
        value=_figures([c.value for c in consignments])[0],
        count=count,
        contents=_kinds([c.contents for c in consignments]),
        extras=_kinds([c.extras for c in consignments]),
        po_box=np.fromiter((c.po_box for c in consignments), np.bool_, len(consignments)),
    )


_NO_BOX: frozenset[str] = frozenset()


def _box_of(parcel: Parcel) -> frozenset[str]:
    return frozenset({parcel.packaging}) if parcel.packaging else _NO_BOX


def _figures(*columns: list[int]) -> Ints:
    return np.array(columns, np.int64)


def _kinds(values: Sequence[frozenset[str]]) -> Kinds:
    known: dict[Hashable, int] = {}
    numbers = np.fromiter((known.setdefault(value, len(known)) for value in values), np.int64, len(values))
    return Kinds(numbers, tuple(known) or (_NO_BOX,))  # type: ignore[arg-type]
