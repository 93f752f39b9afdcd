"""Answers to baskets kept in memory: exactly as long as nothing changed that their prices are made of.

Before each answer one row says whether anything did, in whichever process.  What goes by the clock alone (a cut-off, a
day, an offer's hours) ends at a moment that is known before; what carriers have answered is looked at again every
``SLOT_S`` seconds.
"""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Collection
from dataclasses import dataclass, field, replace
from datetime import datetime
from math import inf
from threading import Lock

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.checkout.written import Checkout
from tidewind.core.order_facts import LineFacts, Shop
from tidewind.core.tariffs.live import LiveAnswer
from tidewind.db.tables import CheckoutStamp
from tidewind.db.written import has_written
from tidewind.services.rates.asked_prices import Key

SLOT_S, MOST_ANSWERS = 20, 10_000
_STAMP = select(CheckoutStamp.changes)


PROVISIONAL_S = 5.0
"""What is told for want of a carrier's answer is told no longer than this, even where the answer does not come."""
Told = dict[Key, LiveAnswer]
"""What carriers have answered since the shop was read."""


@dataclass(slots=True)
class Known:
    """What is known while nothing changes: the shop, its offers, the products that were asked for, and the answers.

    ``read`` is the shop as it was read, ``shop`` the same with what carriers have answered since; ``until`` is when the
    clock alone changes anything.  Of ``brief`` answers a price is asked from a carrier, and holds for a while only.
    """

    key: tuple[object, ...]
    read: Shop
    shop: Shop
    until: datetime
    version: int
    checkout: Checkout
    told: Told = field(default_factory=dict)
    products: dict[str, LineFacts | None] = field(default_factory=dict)
    waiting: dict[Key, set[object]] = field(default_factory=dict)
    answers: OrderedDict[object, tuple[float, object]] = field(default_factory=OrderedDict)
    brief: set[object] = field(default_factory=set)

    def answer_to(self, asked: object) -> object:
        """Return the answer that is kept, None where there is none any more."""
        until, found = self.answers.get(asked, (0.0, None))
        return found if time.monotonic() < until else None

    def remember(self, asked: object, answer: object, waits_for: Collection[Key] = (), *, brief: bool = False) -> None:
        """Keep an answer; one for want of others' answers only until one of those is there, or for a while."""
        with _LOCK:
            if brief:
                self.brief.add(asked)
            self.answers[asked] = time.monotonic() + (PROVISIONAL_S if waits_for else inf), answer
            for key in waits_for:
                self.waiting.setdefault(key, set()).add(asked)
            while len(self.answers) > MOST_ANSWERS:
                self.answers.popitem(last=False)

    def later(self, key: tuple[object, ...], shop: Shop) -> Known:
        """Return the same for a later stretch of time: all answers but those that hold for a while only."""
        with _LOCK:  # others remember theirs meanwhile
            answers = OrderedDict((asked, kept) for asked, kept in self.answers.items() if asked not in self.brief)
        return replace(self, key=key, shop=shop, answers=answers, brief=set(), waiting={})


_LOCK, LOADING = Lock(), Lock()
_known: dict[str, Known] = {}


def key_now(session: Session, now: datetime) -> tuple[object, ...]:
    """Return what an answer holds for: the state of everything it is made of, and the stretch of time."""
    return str(session.get_bind().engine.url), session.connection().scalar(_STAMP), int(now.timestamp()) // SLOT_S


def known_in(key: tuple[object, ...], now: datetime) -> Known | None:
    """Return what is known in a state that somebody has just looked up, None where it has to be read."""
    found = _known.get("shop")
    return found if found is not None and found.key == key and now < found.until else None


def known_for(session: Session, key: tuple[object, ...], now: datetime) -> Known | None:
    """Return what is known in a state; None where it has to be read, or this transaction wrote something itself."""
    return None if has_written(session) else known_in(key, now)


def still_known(session: Session, key: tuple[object, ...], now: datetime) -> Known | None:
    """Return what was known in a state but for the stretch of time, where the clock has changed nothing since."""
    found = _known.get("shop")
    same = found is not None and found.key[:-1] == key[:-1] and now < found.until and not has_written(session)
    return found if same else None


def know(session: Session, known: Known) -> Known:
    """Keep what is known now in place of what was; nothing of a transaction that wrote, since it may be undone."""
    if not has_written(session):
        _known["shop"] = known
    return known


def have_answered(keys: Collection[Key]) -> None:
    """Forget what was told for want of the answers that have come now."""
    found = _known.get("shop")
    if found is None:
        return
    with _LOCK:
        for key in keys:
            for asked in found.waiting.pop(key, ()):
                found.answers.pop(asked, None)


def forget_answers() -> None:
    """Forget everything: in another database the same state of changes stands for another shop."""
    _known.clear()
