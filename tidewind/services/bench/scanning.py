"""One scan at a bench: a slip opens an order, a product counts, a code of ours acts; everything else stops loudly."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.bench.codes import CodeKind, read_code
from tidewind.core.bench.weighing import Reading
from tidewind.core.quantities import speak_in
from tidewind.core.scanned import forms_of
from tidewind.core.states.packings import PackingState
from tidewind.db.tables import Person
from tidewind.services.bench.finishing import look
from tidewind.services.bench.glancing import glance_at
from tidewind.services.bench.keeping import keep_scan
from tidewind.services.bench.one_scan import Scan, TakenBefore, said, whole
from tidewind.services.bench.seen import BenchView, bench_view
from tidewind.services.bench.standing import bench_named, count_today, locked_bench
from tidewind.services.bench.with_none import while_awaited, with_none_open
from tidewind.services.bench.with_open import weighed, with_one_open
from tidewind.services.people import Who, digest_of_badge

LONGEST_CODE = 120


def scan_at_bench(session: Session, name: str, code: str, who: Who, now: datetime, client_key: str = "") -> BenchView:
    """Take a scan, and return the bench with what it meant; what is wrong is said there, never raised.

    The scan and its verdict are kept in the same transaction, so that a bench that dies loses none.  Sent again with
    the same ``client_key``, since no answer came, it counts once.
    """
    plain = "".join(c for c in code if c.isprintable())[:LONGEST_CODE]
    return _at_bench(session, name, plain, who, now, lambda one: _understood(one, plain), client_key)


def weigh_at_bench(session: Session, name: str, reading: Reading | None, who: Who, now: datetime) -> BenchView:
    """Take what the scale shows for the parcel that is to be weighed."""
    return _at_bench(session, name, "", who, now, lambda one: whole(one, lambda: weighed(one, reading)))


def look_at_bench(session: Session, name: str, who: Who, now: datetime) -> BenchView:
    """Return a bench, with what has become of the label that is being bought for it."""
    at = locked_bench(session, name, who.id, now)
    if at.packing is not None and at.packing.state == PackingState.BUYING:
        look(session, at.bench, at.packing, now)
        count_today(session, at, now)
    return bench_view(at)


def see_bench(session: Session, name: str, who: Who, now: datetime) -> BenchView:
    """Return what a bench shows, and change nothing."""
    return bench_view(bench_named(session, name, who.id, now))


def _at_bench(
    session: Session,
    name: str,
    code: str,
    who: Who,
    now: datetime,
    work: Callable[[Scan], dict[str, str]],
    client_key: str = "",
) -> BenchView:
    at = glance_at(session, name, who.id, now, client_key, code) or locked_bench(session, name, who.id, now, client_key)
    speak_in(at.shop.units)
    if at.known:
        return bench_view(at)
    one = Scan(session, at, who, client_key, now)
    try:
        _take(one, code, work)
    except TakenBefore:
        session.expire_all()  # what it would have changed
        one.at = locked_bench(session, name, who.id, now, client_key)
    return bench_view(one.at)


def _take(one: Scan, code: str, work: Callable[[Scan], dict[str, str]]) -> None:
    told = work(one)
    at = one.at
    if told["kind"] == "wrong" and one.packing is not None:
        one.packing.mistakes += 1
        at.mistakes_today += 1
    at.bench.said = told
    mine = one.packing.id if one.packing is not None else at.bench.packing_id
    kept = {"bench_id": at.bench.id, "packing_id": mine, "person_id": one.packer.id, "at": one.now, "code": code}
    kept |= {"client_key": one.client_key or None, "verdict": told["kind"]}
    if not keep_scan(one.session, kept, at.bench, one.packing):
        raise TakenBefore


def _understood(one: Scan, code: str) -> dict[str, str]:
    ours = read_code(code)
    if ours is not None and ours.kind is CodeKind.BADGE:
        return _badge(one, ours.value)
    if not forms_of(code):
        return said("wrong", "Nothing", "the scanner read nothing; scan it again")
    packing = one.packing
    if packing is None:
        return with_none_open(one, code, ours)
    if packing.state == PackingState.BUYING:
        return while_awaited(one, packing, code, ours)
    return with_one_open(one, packing, code, ours)


def _badge(one: Scan, secret: str) -> dict[str, str]:
    person = one.session.scalar(select(Person).where(Person.badge_hash == digest_of_badge(secret), Person.active))
    if person is None:
        return said("wrong", "Unknown badge", "nobody has this badge any more; the owner can print a new sheet")
    one.bench.packer_id, one.at.packer = person.id, person
    return said("right", person.name.split()[0], f"{person.name} packs here now")
