"""A bench with the packing on it and what was done there today, locked or only looked at."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import DateTime, Select, bindparam, exists, func, select, true
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, load_only

from tidewind.core.states.packings import PackingState
from tidewind.db.tables import Bench, BenchScan, Packing, Person, Shop
from tidewind.services.base import Invalid
from tidewind.services.bench.around import Around, read_around
from tidewind.services.bench.meaning import Meaning

LONGEST_NAME = 40


@dataclass(slots=True)
class AtBench:
    """A bench, who packs there, the shop, what was done there today, and the packing on it, if any.

    ``known``: the scan that is being taken was taken before, and its answer got lost.  ``means``: what its code stands
    for, where that was asked.
    """

    bench: Bench
    packer: Person
    shop: Shop
    packed_today: int
    mistakes_today: int
    known: bool = False
    packing: Packing | None = None
    means: Meaning | None = None
    around: Around = field(default_factory=Around)


def done_today() -> tuple[Any, Any]:
    """Return the parcels and the mistakes of the shop's day at a bench, as columns of a statement that has both."""
    local = func.timezone(Shop.time_zone, bindparam("now", type_=DateTime(timezone=True)))
    midnight = func.timezone(Shop.time_zone, func.date_trunc("day", local))
    today = (Packing.bench_id == Bench.id, Packing.started_at >= midnight, Packing.state != PackingState.UNDONE)
    packed = select(func.count(Packing.packed_at)).where(*today).correlate(Bench, Shop)
    mistakes = select(func.coalesce(func.sum(Packing.mistakes), 0)).where(*today).correlate(Bench, Shop)
    return packed.scalar_subquery(), mistakes.scalar_subquery()


def at_bench(*columns: Any) -> Select[Any]:
    """Return what reads columns of a bench by its ``name``, of the shop, and of who packs there, or else ``who_id``."""
    return (
        select(*columns)
        .select_from(Bench)
        .join(Shop, true())
        .join(Person, Person.id == func.coalesce(Bench.packer_id, bindparam("who_id")))
        .where(Bench.name == bindparam("name"))
    )


def _bench_with(*more: Any) -> Select[Any]:
    return (
        at_bench(Bench, Person, Shop, *done_today(), *more)
        .options(load_only(Person.id, Person.name, Person.active))
        .options(load_only(Shop.id, Shop.bench, Shop.currency, Shop.time_zone, Shop.units))
    )


# Made once: to put such a statement together takes longer than the database takes to answer it.
_FRESH: dict[str, Any] = {"populate_existing": True}
TAKEN = exists().where(BenchScan.client_key == bindparam("client_key"))
_LOCKED = _bench_with().with_for_update(of=Bench)
_SEEN = _bench_with(Packing).outerjoin(Packing, Packing.id == Bench.packing_id)
_TODAY = select(*done_today()).select_from(Bench).join(Shop, true()).where(Bench.id == bindparam("bench_id"))
_PACKING = select(Packing, TAKEN).where(Packing.id == bindparam("packing_id")).with_for_update(of=Packing)


def plain_name(name: str) -> str:
    """Return a bench's name without odd spaces."""
    return " ".join(name.split())[:LONGEST_NAME]


def locked_bench(session: Session, name: str, who_id: int, now: datetime, client_key: str = "") -> AtBench:
    """Return a bench by its name with the packing on it, both locked, making the bench at need.

    Raises Invalid for a name that is none.
    """
    if not (plain := plain_name(name)):
        raise Invalid("no_name", "Give the bench a name.")
    given = {"name": plain, "who_id": who_id, "now": now}
    row = session.execute(_LOCKED, given, execution_options=_FRESH).first()
    if row is None:
        session.execute(insert(Bench).values(name=plain, said={}, created_at=now).on_conflict_do_nothing())
        row = session.execute(_LOCKED, given, execution_options=_FRESH).one()
    at = AtBench(*row)
    if not at.packer.active:
        at.packer = session.get_one(Person, who_id)
    # Whether the scan was taken is asked behind the lock: the same one sent twice waits here for its twin.
    given = {"client_key": client_key, "packing_id": at.bench.packing_id}
    if at.bench.packing_id is None:
        at.known = bool(client_key) and bool(session.scalar(select(TAKEN), given))
    else:
        at.packing, at.known = session.execute(_PACKING, given, execution_options=_FRESH).one()
    _look_around(session, at)
    return at


def _look_around(session: Session, at: AtBench) -> None:
    at.around = read_around(session, at.bench.name, at.packing.order_id if at.packing is not None else None)


def bench_named(session: Session, name: str, who_id: int, now: datetime) -> AtBench:
    """Return a bench by its name as it is, without making it: one that nothing was scanned at is empty."""
    plain = plain_name(name)
    row = session.execute(_SEEN, {"name": plain, "who_id": who_id, "now": now}).first()
    if row is not None:
        at = AtBench(*row[:-1])
        at.packing = row[-1]
        _look_around(session, at)
        return at
    shop, packer = session.get_one(Shop, 1), session.get_one(Person, who_id)
    return AtBench(Bench(name=plain, said={}, pieces=1), packer, shop, 0, 0)


def count_today(session: Session, at: AtBench, now: datetime) -> None:
    """Count once more what was packed today and look around, after more than an item was counted."""
    session.flush()
    given = {"bench_id": at.bench.id, "now": now}
    at.packed_today, at.mistakes_today = session.execute(_TODAY, given).one()
    _look_around(session, at)
