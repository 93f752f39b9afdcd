"""Carriers that are asked for their prices: what they answered is kept, and asked again when it is too old."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.consignments import Consignment
from tidewind.core.tariffs.live import LiveAnswer, ask_key
from tidewind.db.tables import CarrierRow, LiveAnswerRow
from tidewind.outside.carrier import CarrierClient
from tidewind.outside.errors import MaybeDone, NeverSent, OutsideError
from tidewind.services.base import Outside
from tidewind.services.planning import KEPT_FOR

ASKED_AHEAD = timedelta(minutes=1)
"""An answer that has less than this to live is asked for again: the person still has to look and decide."""
MOST_AT_ONCE = 24


@dataclass(slots=True)
class PricesAsked:
    """What came of asking: how many questions were answered anew, and who did not answer, with words."""

    answered: int = 0
    failures: dict[str, str] = field(default_factory=dict)


class Questions:
    """Stands in for the answers while a plan is made, and notes every question that would be asked."""

    def __init__(self) -> None:
        self.questions: dict[str, Consignment] = {}

    def find(self, c: Consignment) -> None:
        """Note a question; there is no answer to it here."""
        self.questions.setdefault(ask_key(c), c)


def ask_prices(
    sessions: sessionmaker[Session], outside: Outside, questions: Iterable[Consignment], now: datetime
) -> PricesAsked:
    """Ask every live carrier the questions whose answers are missing or too old; keep what they say.

    Each call waits a bounded time.  A carrier that fails is noted with words, and what it said before stays stale.
    """
    wanted = {ask_key(c): c for c in questions}
    result = PricesAsked()
    with sessions() as session:
        asked = CarrierRow.active & CarrierRow.asks_prices
        accounts = session.scalars(select(CarrierRow).where(asked)).all()
        fresh = {
            (row.carrier, row.key)
            for row in session.scalars(
                select(LiveAnswerRow).where(
                    LiveAnswerRow.key.in_(wanted),
                    LiveAnswerRow.expires_at > now + ASKED_AHEAD,
                    LiveAnswerRow.failure == "",
                )
            )
        }
    for carrier in accounts:
        missing = [(key, c) for key, c in wanted.items() if (carrier.code, key) not in fresh][:MOST_AT_ONCE]
        _ask_one(sessions, outside.carrier(carrier), carrier, missing, now, result)
    return result


def _ask_one(
    sessions: sessionmaker[Session],
    client: CarrierClient,
    carrier: CarrierRow,
    questions: Sequence[tuple[str, Consignment]],
    now: datetime,
    result: PricesAsked,
) -> None:
    for key, question in questions:
        try:
            answer = client.quotes(question, now)
        except (NeverSent, MaybeDone) as error:
            result.failures[carrier.code] = f"{carrier.name} gave no price: {error}"
            with sessions.begin() as session:
                _keep_failure(session, carrier.code, key, result.failures[carrier.code], now)
            return  # the next question would wait as long for nothing
        except OutsideError as error:
            result.failures[carrier.code] = f"{carrier.name} gave no price: {error}"
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
