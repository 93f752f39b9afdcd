"""What carriers answered when they were asked for prices, read for planning."""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidewind.core.consignments import Consignment
from tidewind.core.tariffs.live import Answers, LiveAnswer, LivePrice, ask_key
from tidewind.db.tables import LiveAnswerRow

KEPT_FOR = timedelta(days=1)


def answers_of(session: Session, carrier: str, now: datetime) -> Answers:
    """Return what a carrier has answered within a day, the stale ones for showing that they were."""
    rows = session.scalars(
        select(LiveAnswerRow).where(LiveAnswerRow.carrier == carrier, LiveAnswerRow.asked_at > now - KEPT_FOR)
    )
    known = {row.key: live_answer(row) for row in rows}
    last: tuple[Consignment | None, LiveAnswer | None] = (None, None)

    def find(c: Consignment) -> LiveAnswer | None:
        nonlocal last
        seen = last  # several threads may ask at once, each about its own
        if seen[0] is not c:
            seen = last = (c, known.get(ask_key(c)) if known else None)
        return seen[1]

    return Answers(find, now, none=not known)


def live_answer(row: LiveAnswerRow) -> LiveAnswer:
    """Return a carrier's answer as it was kept."""
    prices = {
        code: LivePrice(tuple((c, n, a) for c, n, a in told["lines"]), told["billable_g"], told["tax"], told["list"])
        for code, told in row.prices.items()
    }
    return LiveAnswer(row.asked_at, row.expires_at, prices, row.refusals, row.failure)
