"""What must leave today, and what threatens it."""

from __future__ import annotations

from fastapi import APIRouter

from tidewind.services.books import balance_now
from tidewind.services.handover import alert_counts, low_balance, todays_departures
from tidewind.services.orders import count_open, snag_groups
from tidewind.web.access import Anyone, Now, Tx
from tidewind.web.handover.schemas import DepartureOut, SnagGroupOut, TodayOut

router = APIRouter(prefix="/api", tags=["shop"])


@router.get("/today")
def today(_who: Anyone, session: Tx, now: Now) -> TodayOut:
    """Return what must leave today and what threatens it."""
    states = todays_departures(session, now)
    balance = balance_now(session)
    return TodayOut(
        now=now,
        open_orders=count_open(session),
        departures=[DepartureOut.model_validate(s) for s in states],
        snags=[SnagGroupOut.model_validate(g) for g in snag_groups(session)],
        available_minor=balance.available_minor,
        low_balance=low_balance(session, balance.available_minor, sum(s.to_buy_minor for s in states)),
        **alert_counts(session, now),
    )
