"""What carriers answered when they were asked for prices, read for planning."""

from __future__ import annotations

from datetime import date, datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.tariffs.live import Answers, LiveAnswer, LivePrice
from tidewind.db.tables import LiveAnswerRow

KEPT_FOR = timedelta(days=1)


def answers_of(session: Session, carrier: str, now: datetime, day: date) -> Answers:
    """Return what a carrier has answered since yesterday, here about ``day``; the stale ones show that they were."""
    rows = session.scalars(
        select(LiveAnswerRow).where(LiveAnswerRow.carrier == carrier, LiveAnswerRow.asked_at > now - KEPT_FOR)
    )
    known = {row.key: live_answer(row) for row in rows}
    return Answers(lambda question: known.get(question.key), now, day, none=not known)


def live_answer(row: LiveAnswerRow) -> LiveAnswer:
    """Return a carrier's answer as it was kept."""
    prices = {
        code: LivePrice(tuple((c, n, a) for c, n, a in told["lines"]), told["billable_g"], told["tax"], told["list"])
        for code, told in row.prices.items()
    }
    return LiveAnswer(row.asked_at, row.expires_at, prices, row.refusals, row.failure)
