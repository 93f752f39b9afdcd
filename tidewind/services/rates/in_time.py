"""Carriers that are asked for their prices while a shopper waits: within a budget, and each question once.

Whoever does not answer in time is not waited for any more for a while: the fallback stands at once, and what the
carrier answers later is kept for the next shopper.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable, Collection, Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from datetime import datetime
from threading import Lock

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.consignments import Consignment
from tidewind.core.order_facts import Carrier, Shop
from tidewind.core.tariffs.live import Answers, LiveAnswer, ask_key
from tidewind.db.tables import LiveAnswerRow
from tidewind.services.base import Outside
from tidewind.services.planning import live_answer
from tidewind.services.rates.asked_prices import PricesAsked, Questions, ask_prices
from tidewind.services.rates.memory import Told, have_answered

BUDGET_S, SPARE_S = 1.5, 0.8
"""A whole answer is out within the budget; so much of it is for our own work (shop policy)."""
NOT_WAITED_FOR_S = 30.0
"""After a carrier was late once, nobody waits for it so long."""
MOST_UNDER_WAY = 40


def listening_to(told: Told, shop: Shop) -> Shop:
    """Return a shop whose live carriers have also answered what is in ``told``, now or later."""

    def newer(code: str) -> Callable[[Consignment], LiveAnswer | None]:
        return lambda c: told.get((code, ask_key(c))) if told else None

    carriers = tuple(
        Carrier(c.code, c.name, c.own.with_answers(c.own.answers.with_newer(newer(c.code))), c.published)
        if c.own.live
        else c
        for c in shop.carriers
    )
    return replace(shop, carriers=carriers)


def questions_for(shop: Shop, price: Callable[[Shop], object]) -> tuple[Consignment, ...]:
    """Return what the live carriers of a shop are asked while something is priced."""
    asking = Questions()
    live = tuple(
        Carrier(c.code, c.name, c.own.with_answers(Answers(asking.find, shop.now)), c.published)
        for c in shop.carriers
        if c.own.live
    )
    if live:
        price(replace(shop, carriers=live))
    return tuple(asking.questions.values())


def take_in(session: Session, told: Told, questions: Iterable[Consignment]) -> bool:
    """Take in what carriers have answered to questions since the shop was read; tell whether there was anything."""
    keys = [ask_key(c) for c in questions]
    fresh = {
        (row.carrier, row.key): live_answer(row)
        for row in session.scalars(select(LiveAnswerRow).where(LiveAnswerRow.key.in_(keys)))
    }
    new = any(told.get(key) != answer for key, answer in fresh.items())
    told.update(fresh)
    return new


class InTime:
    """What is being asked just now by this process; several shoppers with one question wait for one answer."""

    def __init__(self) -> None:
        self._lock, self._pool = Lock(), ThreadPoolExecutor(4, thread_name_prefix="asking")
        self._asked: dict[frozenset[str], Future[PricesAsked]] = {}
        self._late_until = 0.0

    async def ask(
        self,
        sessions: sessionmaker[Session],
        outside: Outside,
        questions: Collection[Consignment],
        now: datetime,
        until: float,
    ) -> bool:
        """Ask, and wait for the answers until an instant of the monotonic clock; tell whether they came."""
        under_way = self._begin(sessions, outside, questions, now)
        left = until - SPARE_S - time.monotonic()
        if under_way is None or left <= 0 or time.monotonic() < self._late_until:
            return False
        answering = asyncio.wrap_future(under_way)
        done, _ = await asyncio.wait([answering], timeout=left)
        if not done:
            self._late_until = time.monotonic() + NOT_WAITED_FOR_S
            answering.add_done_callback(lambda late: late.cancelled() or late.exception())
            return False
        return answering.exception() is None and answering.result().answered > 0

    def _begin(
        self, sessions: sessionmaker[Session], outside: Outside, questions: Collection[Consignment], now: datetime
    ) -> Future[PricesAsked] | None:
        key = frozenset(map(ask_key, questions))
        with self._lock:
            if key in self._asked:
                return self._asked[key]
            if len(self._asked) >= MOST_UNDER_WAY:
                return None
            begun = self._asked[key] = self._pool.submit(ask_prices, sessions, outside, questions, now)
        begun.add_done_callback(lambda _: self._over(key))
        return begun

    def _over(self, key: frozenset[str]) -> None:
        self._asked.pop(key, None)
        have_answered(key)

    def close(self) -> None:
        """Ask nothing more."""
        self._pool.shutdown(wait=False, cancel_futures=True)
