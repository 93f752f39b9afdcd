"""Carriers that are asked for their prices while a shopper waits: within a budget, and each question once.

Carriers are asked side by side, and each has patience of its own.  Whoever does not answer in time is not waited for
any more for a while: the others' prices stand at once, beside the fallback, and what the late one answers later is kept
for the next shopper.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Collection, Iterable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from datetime import datetime
from threading import Lock

from sqlalchemy import select, tuple_
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.order_facts import Shop
from tidewind.core.tariffs.live import Find
from tidewind.db.tables import LiveAnswerRow
from tidewind.services.base import Outside
from tidewind.services.planning import live_answer
from tidewind.services.rates.asked_prices import Key, PricesAsked, ToAsk, ask_carrier
from tidewind.services.rates.memory import Told, have_answered

BUDGET_S, SPARE_S = 1.5, 0.8
"""A whole answer is out within the budget; so much of it is for our own work (shop policy)."""
NOT_WAITED_FOR_S = 30.0
"""After a carrier was late once, nobody waits for it so long."""
MOST_UNDER_WAY, AT_ONCE = 40, 2
"""Questions that one carrier has before it, and how many of them it is asked at once."""


def listening_to(told: Told, shop: Shop) -> Shop:
    """Return a shop whose live carriers have also answered what is in ``told``, now or later."""

    def newer(code: str) -> Find:
        return lambda question: told.get((code, question.key)) if told else None

    carriers = tuple(
        replace(c, own=c.own.with_answers(c.own.answers.with_newer(newer(c.code), shop.now))) if c.own.live else c
        for c in shop.carriers
    )
    return replace(shop, carriers=carriers)


def take_in(session: Session, told: Told, wanted: Iterable[ToAsk]) -> bool:
    """Take in what carriers have answered to questions since the shop was read; tell whether there was anything."""
    keys = [one.key for one in wanted]
    fresh = {
        (row.carrier, row.key): live_answer(row)
        for row in session.scalars(
            select(LiveAnswerRow).where(tuple_(LiveAnswerRow.carrier, LiveAnswerRow.key).in_(keys))
        )
    }
    new = any(told.get(key) != answer for key, answer in fresh.items())
    told.update(fresh)
    return new


@dataclass(slots=True)
class _Line:
    """What one carrier is being asked, by threads that are its own: whoever is stalled stalls nobody else."""

    pool: ThreadPoolExecutor
    asked: dict[Key, Future[PricesAsked]] = field(default_factory=dict)
    late_until: float = 0.0


class InTime:
    """What is being asked just now by this process; several shoppers with one question wait for one answer."""

    def __init__(self) -> None:
        self._lock, self._lines = Lock(), dict[str, _Line]()

    async def ask(
        self,
        sessions: sessionmaker[Session],
        outside: Outside,
        wanted: Collection[ToAsk],
        now: datetime,
        until: float,
    ) -> bool:
        """Ask, and wait for the answers until an instant of the monotonic clock; tell whether any came."""
        by_carrier: dict[str, list[ToAsk]] = {}
        for one in wanted:
            by_carrier.setdefault(one.carrier, []).append(one)
        answering: dict[asyncio.Future[PricesAsked], _Line] = {}
        for code, mine in by_carrier.items():
            line = self._line(code)
            begun = self._begin(line, sessions, outside, mine, now)
            if time.monotonic() >= line.late_until:
                answering.update((asyncio.wrap_future(future), line) for future in begun)
        left = until - SPARE_S - time.monotonic()
        if not answering or left <= 0:
            return False
        done, late = await asyncio.wait(answering, timeout=left)
        for one_late in late:
            answering[one_late].late_until = time.monotonic() + NOT_WAITED_FOR_S
            one_late.add_done_callback(lambda it: it.cancelled() or it.exception())
        return any(it.exception() is None and it.result().answered for it in done)

    def _line(self, code: str) -> _Line:
        with self._lock:
            if code not in self._lines:
                self._lines[code] = _Line(ThreadPoolExecutor(AT_ONCE, thread_name_prefix=f"asking-{code}"))
            return self._lines[code]

    def _begin(
        self,
        line: _Line,
        sessions: sessionmaker[Session],
        outside: Outside,
        wanted: Sequence[ToAsk],
        now: datetime,
    ) -> set[Future[PricesAsked]]:
        """Ask a carrier what it is not being asked already, unless too much lies before it; return what to wait for."""
        with self._lock:
            found = {line.asked[one.key] for one in wanted if one.key in line.asked}
            new = [one for one in wanted if one.key not in line.asked]
            if not new or len(line.asked) >= MOST_UNDER_WAY:
                return found
            begun = line.pool.submit(ask_carrier, sessions, outside, new[0].carrier, new, now)
            line.asked.update((one.key, begun) for one in new)
        begun.add_done_callback(lambda _: self._over(line, [one.key for one in new]))
        return {*found, begun}

    def _over(self, line: _Line, keys: Collection[Key]) -> None:
        for key in keys:
            line.asked.pop(key, None)
        have_answered(keys)

    def close(self) -> None:
        """Ask nothing more."""
        for line in self._lines.values():
            line.pool.shutdown(wait=False, cancel_futures=True)
