"""Carriers that are asked for their prices: what they answered is kept, and asked again when it is too old."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.frozen import frozen
from tidewind.core.order_facts import Shop
from tidewind.core.tariffs.live import Answers, LiveAnswer, Question
from tidewind.db.tables import CarrierRow, LiveAnswerRow
from tidewind.outside.carrier import CarrierClient
from tidewind.outside.errors import MaybeDone, NeverSent, OutsideError
from tidewind.services.base import Outside
from tidewind.services.planning import KEPT_FOR

ASKED_AHEAD = timedelta(minutes=1)
"""An answer that has less than this to live is asked for again: the person still has to look and decide."""
MOST_AT_ONCE = 24
Key = tuple[str, str]
"""A carrier's code, and the key of a question to it."""


@frozen
class ToAsk:
    """A question, and the carrier that has to answer it."""

    carrier: str
    question: Question
    key: Key = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        """Work out by what it is known."""
        object.__setattr__(self, "key", (self.carrier, self.question.key))


@dataclass(slots=True)
class PricesAsked:
    """What came of asking: how many questions were answered anew, and who did not answer, with words."""

    answered: int = 0
    failures: dict[str, str] = field(default_factory=dict)


def questions_asked(shop: Shop, price: Callable[[Shop], object]) -> tuple[ToAsk, ...]:
    """Return what the live carriers of a shop would be asked while something is priced."""
    found: dict[Key, ToAsk] = {}

    def noting(code: str) -> Callable[[Question], None]:
        def find(question: Question) -> None:
            one = ToAsk(code, question)
            found.setdefault(one.key, one)

        return find

    live = tuple(
        replace(c, own=c.own.with_answers(Answers(noting(c.code), shop.now, c.own.answers.day)))
        for c in shop.carriers
        if c.own.live
    )
    if live:
        price(replace(shop, carriers=live))
    return tuple(found.values())


def ask_prices(
    sessions: sessionmaker[Session], outside: Outside, wanted: Iterable[ToAsk], now: datetime
) -> PricesAsked:
    """Ask every live carrier the questions whose answers are missing or too old; keep what they say.

    They are asked side by side, so the slowest alone says how long that takes.  A carrier that fails is noted with
    words, and what it said before stays stale.
    """
    by_carrier: dict[str, list[ToAsk]] = {}
    for one in wanted:
        by_carrier.setdefault(one.carrier, []).append(one)
    result = PricesAsked()
    if not by_carrier:
        return result
    with ThreadPoolExecutor(len(by_carrier), thread_name_prefix="asking") as pool:
        each = {code: pool.submit(ask_carrier, sessions, outside, code, mine, now) for code, mine in by_carrier.items()}
    for asked in (future.result() for future in each.values()):
        result.answered += asked.answered
        result.failures |= asked.failures
    return result


def ask_carrier(
    sessions: sessionmaker[Session], outside: Outside, code: str, wanted: Sequence[ToAsk], now: datetime
) -> PricesAsked:
    """Ask one carrier the questions whose answers are missing or too old, one after the other; keep what it says.

    A carrier that does not answer is not asked the rest: each question would wait as long for nothing.
    """
    result, keys = PricesAsked(), {one.question.key: one.question for one in wanted}
    with sessions() as session:
        known = select(CarrierRow).where(CarrierRow.code == code, CarrierRow.active, CarrierRow.asks_prices)
        carrier = session.scalars(known).one_or_none()
        fresh = select(LiveAnswerRow.key).where(
            LiveAnswerRow.carrier == code,
            LiveAnswerRow.key.in_(keys),
            LiveAnswerRow.expires_at > now + ASKED_AHEAD,
            LiveAnswerRow.failure == "",
        )
        told = set(session.scalars(fresh))
    missing = [(key, question) for key, question in keys.items() if key not in told]
    if carrier is not None and missing:
        _ask(sessions, outside.carrier(carrier), carrier, missing[:MOST_AT_ONCE], now, result)
    return result


def _ask(
    sessions: sessionmaker[Session],
    client: CarrierClient,
    carrier: CarrierRow,
    questions: Sequence[tuple[str, Question]],
    now: datetime,
    result: PricesAsked,
) -> None:
    for key, question in questions:
        try:
            answer = client.quotes(question, now)
        except OutsideError as error:
            result.failures[carrier.code] = f"{carrier.name} gave no price: {error}"
            if isinstance(error, NeverSent | MaybeDone):
                with sessions.begin() as session:
                    _keep_failure(session, carrier.code, key, result.failures[carrier.code], now)
                return
            continue
        result.answered += 1
        with sessions.begin() as session:
            _keep(session, carrier.code, key, answer)


def _keep(session: Session, carrier: str, key: str, answer: LiveAnswer) -> None:
    prices = {
        code: {
            "lines": [list(line) for line in p.lines],
            "billable_g": p.billable_g,
            "tax": p.tax,
            "list": p.published_net,
        }
        for code, p in answer.prices.items()
    }
    values = {
        "asked_at": answer.asked_at,
        "expires_at": answer.expires,
        "prices": prices,
        "refusals": dict(answer.refusals),
        "failure": "",
    }
    statement = insert(LiveAnswerRow).values(carrier=carrier, key=key, **values)
    session.execute(statement.on_conflict_do_update(index_elements=["carrier", "key"], set_=values))


def _keep_failure(session: Session, carrier: str, key: str, words: str, now: datetime) -> None:
    """Note that a carrier gave no answer; a price it told before stays, to be shown struck out."""
    statement = insert(LiveAnswerRow).values(
        carrier=carrier, key=key, asked_at=now, expires_at=now, prices={}, refusals={}, failure=words[:300]
    )
    session.execute(statement.on_conflict_do_update(index_elements=["carrier", "key"], set_={"failure": words[:300]}))


def forget_old_answers(session: Session, now: datetime) -> None:
    """Take away answers that nobody can go by any more."""
    session.execute(delete(LiveAnswerRow).where(LiveAnswerRow.asked_at < now - KEPT_FOR))
