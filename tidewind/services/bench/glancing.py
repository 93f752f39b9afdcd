"""What most scans need of a bench, read in one way to the database and without the mapper: a packer waits for each.

Whoever changes more than the bench and the packing on it reads the session's own rows.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import datetime
from functools import cache
from typing import Any, TypeVar

from sqlalchemy.orm import Session

from tidewind.db.base import Base
from tidewind.db.engine import ByDriver
from tidewind.db.stored import Stored
from tidewind.db.tables import Bench, Packing, Person, Shop
from tidewind.services.bench.standing import TAKEN, AtBench, at_bench, done_today, plain_name

Row = TypeVar("Row", bound=Base)
_BENCH = (Bench.id, Bench.name, Bench.packer_id, Bench.packing_id, Bench.said, Bench.pieces)
_PERSON = (Person.id, Person.name, Person.active)
_SHOP = (Shop.bench, Shop.units)
_PACKING = (
    *(Packing.id, Packing.order_id, Packing.state, Packing.items, Packing.facts),
    *(Packing.steps, Packing.weights_g, Packing.mistakes),
)
_COLUMNS = (*_BENCH, *_PERSON, *_SHOP, *done_today(), TAKEN)
# Locked rows are read as they are behind the lock, and no row comes where the bench has another packing by then.
_WITH_PACKING = ByDriver(
    at_bench(*_COLUMNS, *_PACKING).join(Packing, Packing.id == Bench.packing_id).with_for_update(of=[Bench, Packing])
)
_EMPTY = ByDriver(at_bench(*_COLUMNS).where(Bench.packing_id.is_(None)).with_for_update(of=Bench))


def glance_at(session: Session, name: str, who_id: int, now: datetime, client_key: str) -> AtBench | None:
    """Lock a bench with the packing on it, if any, and return copies of both, which no session writes.

    Return None where there is no such bench, or who packed there may no more: ``locked_bench`` says what is so.
    """
    given = {"name": plain_name(name), "who_id": who_id, "now": now, "client_key": client_key}
    connection = session.connection()
    row = _WITH_PACKING.first(connection, given) or _EMPTY.first(connection, given)
    if row is None:
        return None
    values = iter(row)
    bench, packer, shop = copy_of(Bench, _BENCH, values), copy_of(Person, _PERSON, values), copy_of(Shop, _SHOP, values)
    packed, mistakes, known = next(values), next(values), next(values)
    packing = copy_of(Packing, _PACKING, values) if bench.packing_id is not None else None
    return AtBench(bench, packer, shop, packed, mistakes, known, packing) if packer.active else None


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
