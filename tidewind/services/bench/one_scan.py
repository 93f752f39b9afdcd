"""One scan on its way: the bench as it was found, what was meant, and what is said of it."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from sqlalchemy.orm import Session

from tidewind.core.scanned import forms_of
from tidewind.db.tables import Packing
from tidewind.services.base import ServiceError
from tidewind.services.bench.around import Aside
from tidewind.services.bench.keeping import changed_in
from tidewind.services.bench.meaning import Meaning, meaning_of
from tidewind.services.bench.standing import AtBench, count_today, locked_bench
from tidewind.services.people import Who


class TakenBefore(Exception):
    """This scan was taken by its twin, which was quicker."""


class Scan:
    """Everything about one scan; what was only glanced at is copies."""

    def __init__(self, session: Session, at: AtBench, who: Who, client_key: str, now: datetime) -> None:
        self.session, self.at, self.who, self.client_key, self.now = session, at, who, client_key, now
        self.bench, self.packing, self.packer = at.bench, at.packing, at.packer

    @property
    def open_packing(self) -> Packing:
        """The packing on the bench.  Raises RuntimeError where none is."""
        if self.packing is None:
            raise RuntimeError("no order is open at this bench")
        return self.packing

    def meaning_of(self, code: str) -> Meaning:
        """Return what the scanned code stands for."""
        return self.at.means or meaning_of(self.session, forms_of(code))

    def aside_of(self, meant: Meaning) -> Aside | None:
        """Return the parcel that lies aside here and is meant; None where none is."""
        return self.at.around.aside_of(meant.order_id)

    def put_down(self) -> None:
        """Go on without an open packing."""
        self.bench.packing_id, self.bench.pieces = None, 1
        self.packing = self.at.packing = None

    def take_hold(self) -> None:
        """Go on with the session's own rows, and what was changed in the copies.

        Raises TakenBefore where this scan turns out to have been taken.
        """
        if self.bench in self.session:
            return
        copies = (self.bench, self.packing)
        means = self.at.means
        self.at = at = locked_bench(self.session, self.bench.name, self.who.id, self.now, self.client_key)
        at.means = means
        if at.known:
            raise TakenBefore
        self.bench, self.packing, self.packer = at.bench, at.packing, at.packer
        for copy, row in zip(copies, (self.bench, self.packing), strict=True):
            for name, value in (changed_in(copy) if copy is not None else {}).items():
                setattr(row, name, value)


def said(kind: str, word: str, words: str, **more: str) -> dict[str, str]:
    """Return what is said of a scan: ``right``, ``wrong`` or ``note``, a big word, and a sentence."""
    return {"kind": kind, "word": word, "words": words, **more}


def whole(one: Scan, work: Callable[[], dict[str, str]]) -> dict[str, str]:
    """Do what writes more than the count of an item wholly or not at all; a refusal is said."""
    one.take_hold()
    try:
        with one.session.begin_nested():
            told = work()
    except ServiceError as refusal:
        one.session.refresh(one.bench)
        told = said("wrong", "Stop", str(refusal))
        if one.packing is not None and one.packing in one.session:
            one.session.refresh(one.packing)
    count_today(one.session, one.at, one.now)
    return told


def to_decide(refusal: ServiceError, order_id: int) -> dict[str, str]:
    """Return which order somebody can decide about at once, where that is what an order waits for."""
    return {"order": str(order_id)} if refusal.code == "changed" else {}
