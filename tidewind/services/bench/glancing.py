"""What most scans need of a bench, read in one way to the database and without the mapper: a packer waits for each.

Whoever changes more than the bench and the packing on it reads the session's own rows.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import datetime
from functools import cache
from typing import Any, TypeVar

from sqlalchemy import bindparam, select
from sqlalchemy.orm import Session

from tidewind.core.scanned import forms_of
from tidewind.db.base import Base
from tidewind.db.bulk import Columns
from tidewind.db.engine import ByDriver, ask_together
from tidewind.db.stored import Stored
from tidewind.db.tables import Bench, Packing, Person, Shop
from tidewind.services.bench.around import AROUND, around_of
from tidewind.services.bench.meaning import MEANING, Meaning, as_given
from tidewind.services.bench.standing import TAKEN, AtBench, at_bench, done_today, plain_name

Row = TypeVar("Row", bound=Base)
_BENCH = (Bench.id, Bench.name, Bench.packer_id, Bench.packing_id, Bench.said, Bench.last, Bench.pieces)
_PERSON = (Person.id, Person.name, Person.active)
_SHOP = (Shop.bench, Shop.units)
_PACKING = (
    *(Packing.id, Packing.order_id, Packing.state, Packing.items, Packing.facts),
    *(Packing.steps, Packing.weights_g, Packing.mistakes, Packing.aside),
)
_LOCKED = ByDriver(select(Bench.id).where(Bench.name == bindparam("name")).with_for_update())
# Asked behind the lock, so that what was waited for is seen; a packing is its bench's, and needs no lock of its own.
_STANDS = at_bench(*_BENCH, *_PERSON, *_SHOP, *done_today(), TAKEN, *_PACKING)
_SEEN = ByDriver(_STANDS.outerjoin(Packing, Packing.id == Bench.packing_id))


def glance_at(session: Session, name: str, who_id: int, now: datetime, client_key: str, code: str) -> AtBench | None:
    """Lock a bench, and return copies of it and of the packing on it, if any, and what a code means.

    The copies are written by no session.

    Return None where there is no such bench, or who packed there may no more: ``locked_bench`` says what is so.
    """
    given: Columns = {"name": plain_name(name), "who_id": who_id, "now": now, "client_key": client_key}
    given |= as_given(forms_of(code))
    _, seen, meant, *around = ask_together(session.connection(), given, _LOCKED, _SEEN, MEANING, *AROUND)
    if not seen:
        return None
    values = iter(seen[0])
    bench, packer, shop = copy_of(Bench, _BENCH, values), copy_of(Person, _PERSON, values), copy_of(Shop, _SHOP, values)
    packed, mistakes, known = next(values), next(values), next(values)
    packing = copy_of(Packing, _PACKING, values) if bench.packing_id is not None else None
    means = Meaning(*meant[0]) if meant else Meaning()
    near = around_of(around, packing.order_id if packing is not None else None)
    return AtBench(bench, packer, shop, packed, mistakes, known, packing, means, near) if packer.active else None


def copy_of(of: type[Row], columns: tuple[Any, ...], values: Iterator[Any]) -> Row:
    """Return a copy of a row that no session writes, with as many of the driver's values as there are columns."""
    copy = of()
    # Beside the mapper, which asks each attribute what it is: what is set from here on counts as changed.
    vars(copy).update(zip(_keys(columns), values, strict=False))
    for key, read in _readers(columns):
        if (value := vars(copy)[key]) is not None:
            vars(copy)[key] = read(value)
    return copy


@cache
def _keys(columns: tuple[Any, ...]) -> tuple[str, ...]:
    return tuple(column.key for column in columns)


@cache
def _readers(columns: tuple[Any, ...]) -> tuple[tuple[str, Callable[[Any], Any]], ...]:
    return tuple((column.key, column.type.read) for column in columns if isinstance(column.type, Stored))
