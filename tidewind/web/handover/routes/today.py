"""What must leave today, and what threatens it."""

from __future__ import annotations

from collections import Counter
from datetime import date

from fastapi import APIRouter

from tidewind.services.books import balance_now
from tidewind.services.follow import mails_without_server
from tidewind.services.handover import (
    alert_counts,
    days_shown,
    lanes_on,
    lanes_to_begin_with,
    low_balance,
    steps_missing,
    todays_departures,
    unsettled,
)
from tidewind.services.orders import count_open, samples_there, snag_groups
from tidewind.web.access import MONEY_ROLES, Anyone, Now, Parts, Tx
from tidewind.web.handover.schemas.today import (
    DepartureOut,
    LaneOut,
    LanesOut,
    SnagGroupOut,
    StepOut,
    TodayOut,
    UnsettledOut,
)

router = APIRouter(prefix="/api", tags=["handing over"])


@router.get("/departures")
def departures(_who: Anyone, session: Tx, now: Now, day: date | None = None) -> LanesOut:
    """Return the handovers of a day: what lies in each, and what its carrier's rules say of fetching it.

    Without a day it is today, or the next one where nothing lies today and nothing will leave any more.
    """
    shown, lanes = (day, lanes_on(session, day, now)) if day else lanes_to_begin_with(session, now)
    days = days_shown(session, now)
    return LanesOut(now=now, day=shown, days=days, lanes=[LaneOut.model_validate(lane) for lane in lanes])


@router.get("/today")
def today(who: Anyone, parts: Parts, session: Tx, now: Now) -> TodayOut:
    """Return what must leave today and what threatens it."""
    states = todays_departures(session, now)
    balance = balance_now(session)
    sees = who.role in MONEY_ROLES
    to_buy: Counter[str] = Counter()
    for state in states:
        to_buy[state.carrier] += state.to_buy_minor
    return TodayOut(
        now=now,
        open_orders=count_open(session),
        departures=[DepartureOut.model_validate(s) for s in states],
        snags=[SnagGroupOut.model_validate(g) for g in snag_groups(session)],
        available_minor=balance.available_minor if sees else None,
        low_balance=sees and low_balance(session, balance.available_minor, to_buy),
        unsettled=[
            UnsettledOut(shipment_id=s.id, order_id=s.order_id, order_number=s.order.number, words=s.unsettled)
            for s in unsettled(session)
        ],
        **alert_counts(session, now),
        mails_without_server=mails_without_server(session, parts.outside),
        first_hour=[StepOut.model_validate(step) for step in steps_missing(session, parts.outside)],
        samples=samples_there(session),
    )
