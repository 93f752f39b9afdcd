"""The ledger, its settings, and the open policy with an insurer."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from typing import Annotated
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Depends, Query, Response
from sqlalchemy.orm import Session

from tidewind.outside.sheets_out import to_csv
from tidewind.services import books as service
from tidewind.services.books import (
    COVER_HEADS,
    LEDGER_HEADS,
    Booked,
    EntryFilter,
    balance_now,
    cover_declarations,
    ledger_entries,
    ledger_rows,
    ledger_totals,
    pay_bill,
    set_cover_terms,
)
from tidewind.services.planning import replan_waiting, shop_settings
from tidewind.web.access import Anyone, Now, Owner, Shipper, Tx
from tidewind.web.books.schemas import (
    BalanceOut,
    BillIn,
    BookedLineOut,
    BookedOut,
    CoverIO,
    MoneyOut,
    MoneySettings,
    TopUpIn,
)
from tidewind.web.files import CSV, answers_with, download
from tidewind.web.planning.schemas import WorkOut

router = APIRouter(prefix="/api", tags=["money"])


def _asks(
    session: Tx,
    kind: Annotated[list[str] | None, Query(max_length=20)] = None,
    account: Annotated[str, Query(max_length=20)] = "",
    since: date | None = None,
    until: Annotated[date | None, Query(description="The last day, itself in it")] = None,
    text: Annotated[str, Query(max_length=100)] = "",
) -> EntryFilter:
    """Read which entries are asked for; days are the shop's."""
    zone = ZoneInfo(shop_settings(session).time_zone)

    def start(day: date) -> datetime:
        return datetime.combine(day, time(), zone)

    return EntryFilter(
        tuple(kind or ()),
        account,
        start(since) if since else None,
        start(until + timedelta(days=1)) if until else None,
        text.strip(),
    )


Asks = Annotated[EntryFilter, Depends(_asks)]


@router.get("/money")
def ledger(_who: Shipper, session: Tx, asks: Asks, before: int | None = None) -> MoneyOut:
    """Return the balance and the entries asked for, newest first, each with what its accounts then held."""
    return MoneyOut(
        balance=BalanceOut.model_validate(balance_now(session)),
        entries=[_booked(b) for b in ledger_entries(session, asks, before)],
        moved=ledger_totals(session, asks),
        low_balance_minor=shop_settings(session).low_balance_minor,
    )


def _booked(b: Booked) -> BookedOut:
    lines = [BookedLineOut(account=name, amount_minor=moved, after_minor=after) for name, moved, after in b.lines]
    return BookedOut(
        id=b.id,
        at=b.at,
        kind=b.kind,
        reason=b.reason,
        order_id=b.order_id,
        order_number=b.order_number,
        carrier=b.carrier,
        lines=lines,
    )


@router.get("/money/file", **answers_with(CSV))
def ledger_file(_who: Shipper, session: Tx, asks: Asks) -> Response:
    """Return the entries asked for as CSV, oldest first; amounts in minor units."""
    return download(to_csv(LEDGER_HEADS, ledger_rows(session, asks)), "ledger.csv", "text/csv; charset=utf-8")


@router.post("/money/top-up")
def top_up(body: TopUpIn, who: Owner, session: Tx, now: Now) -> BalanceOut:
    """Put money onto the postage balance; the same key again changes nothing."""
    service.top_up(session, body.amount_minor, body.key, who.name, now)
    return _balance(session)


@router.post("/money/bill-paid")
def bill_paid(body: BillIn, who: Owner, session: Tx, now: Now) -> BalanceOut:
    """Note that a carrier's bill was paid; the same key again changes nothing."""
    pay_bill(session, body.amount_minor, body.key, who.name, now)
    return _balance(session)


def _balance(session: Session) -> BalanceOut:
    session.expire_all()
    return BalanceOut.model_validate(balance_now(session))


@router.get("/money/settings")
def settings(_who: Shipper, session: Tx) -> MoneySettings:
    """Return when a balance is low, and what the owner must approve."""
    row = shop_settings(session)
    return MoneySettings(
        low_balance_minor=row.low_balance_minor,
        approve_over_minor=row.approve_over_minor,
        approve_services=row.approve_services,
        price_tolerance_minor=row.price_tolerance_minor,
    )


@router.put("/money/settings")
def set_settings(body: MoneySettings, _who: Owner, session: Tx, now: Now) -> MoneySettings:
    """Set them; the waiting orders are planned anew, since some may now need a yes."""
    row = shop_settings(session)
    row.low_balance_minor, row.approve_over_minor = body.low_balance_minor, body.approve_over_minor
    row.approve_services, row.price_tolerance_minor = sorted(set(body.approve_services)), body.price_tolerance_minor
    session.flush()
    replan_waiting(session, "Limits of spending were changed", now)
    return body


@router.get("/cover")
def get_cover(_who: Anyone, session: Tx) -> CoverIO | None:
    """Return the terms of the open policy, null where there is none."""
    kept = shop_settings(session).cover
    return CoverIO.model_validate(kept) if kept else None


@router.put("/cover")
def set_cover(body: CoverIO | None, _who: Owner, session: Tx, now: Now) -> WorkOut:
    """Set the terms, or end the policy with null."""
    work = set_cover_terms(session, body.model_dump() if body else None, now)
    return WorkOut.model_validate(work)


@router.get("/cover/declarations", **answers_with(CSV))
def declarations(
    _who: Shipper, session: Tx, since: date, until: Annotated[date, Query(description="The last day")]
) -> Response:
    """Return the covered shipments bought from one day to another as CSV; amounts in minor units."""
    first = datetime(since.year, since.month, since.day, tzinfo=UTC)
    end = datetime(until.year, until.month, until.day, tzinfo=UTC) + timedelta(days=1)
    rows = to_csv(COVER_HEADS, cover_declarations(session, first, end))
    return download(rows, f"declarations-{since}-{until}.csv", "text/csv; charset=utf-8")
