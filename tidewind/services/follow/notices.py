"""What carriers tell by themselves: kept as it came, at once, and gone through in the background.

Taking a notice is one insert, so that a flood of them is taken as fast as it comes; the notice's own id makes one of a
notice that comes twice.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from datetime import datetime
from typing import Any

import orjson
import structlog
from psycopg import DataError
from sqlalchemy import Connection, select, text
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.states.labels import LabelState
from tidewind.db.engine import driver_of
from tidewind.db.tables import CarrierNotice, CarrierRow, Label, Shipment
from tidewind.outside.carrier import CarrierEvent
from tidewind.outside.errors import OutsideError
from tidewind.outside.http_carrier import read_event
from tidewind.services.base import Invalid, NotAllowed, NotFound, Outside, each_by_itself, is_signed
from tidewind.services.follow.parcels import take_many

log = structlog.get_logger(__name__)
MOST_EVENTS, AT_ONCE = 1_000, 20
SUBSCRIBE = "subscribe"
_SECRET = text("select key_sealed from carrier where code = :code and removed_at is null")
# In the driver's own words: of a flood everything is felt that puts a statement together or goes to the database once
# more.  That the key is still the one a notice was looked at with is asked by the insert itself.
_KEEP = """
    insert into carrier_notice (carrier, notice_id, body, heard_at, failure)
    select $1::text, $2, $3::jsonb, $4, ''
    where exists (select from carrier where code = $1 and key_sealed = $5 and removed_at is null)
    on conflict do nothing returning id
"""
_opened: dict[str, tuple[str, str]] = {}  # each carrier's key, sealed and as it is, as it was last seen to be


def take_carrier_notice(
    connection: Connection, outside: Outside, code: str, headers: Mapping[str, str], body: bytes, now: datetime
) -> str:
    """Keep a notice of a carrier's as it came; return what became of it.  The next sweep goes through it.

    Needs no transaction: what is written is one statement.

    Raises NotFound for an unknown carrier, NotAllowed for a wrong signature or an old one, Invalid for what is no
    notice.
    """
    sealed, secret = _opened.get(code, ("", ""))
    if is_signed(secret, headers, body, now) and _keep(connection, code, sealed, headers, body, now):
        return "taken"
    # It was heard before, or the key is another one by now.
    sealed = connection.scalar(_SECRET, {"code": code})
    if sealed is None:
        raise NotFound("unknown_carrier", "There is no such carrier.")
    secret = outside.sealer.open(sealed)
    if not is_signed(secret, headers, body, now):
        raise NotAllowed("bad_signature", "This is not signed by the carrier, or too old.")
    _opened[code] = sealed, secret
    return "taken" if _keep(connection, code, sealed, headers, body, now) else "heard before"


def _keep(
    connection: Connection, code: str, sealed: str, headers: Mapping[str, str], body: bytes, now: datetime
) -> bool:
    """Keep a notice, and tell whether it is new and its carrier's key still this one."""
    said = (code, headers.get("webhook-id", "")[:100], orjson.dumps(_events_in(body)).decode(), now, sealed)
    try:
        return driver_of(connection).execute(_KEEP, said).fetchone() is not None
    except DataError as error:
        raise Invalid("no_notice", "A notice has no signs that nobody can write (U+0000).") from error


def _events_in(body: bytes) -> list[Any]:
    told = None
    with suppress(ValueError, KeyError, TypeError, RecursionError):
        told = orjson.loads(body)["events"]
    if not isinstance(told, list) or len(told) > MOST_EVENTS:
        raise Invalid("no_notice", f"A notice has “events”, a list of at most {MOST_EVENTS:,}.")
    return told


def take_notices(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> int:
    """Go through what carriers have told, the oldest first; return how many notices were gone through.

    A notice that makes no sense is kept with what is wrong with it; what it says of others' parcels is let be.
    """
    done = 0
    while True:
        with sessions() as session:
            query = select(CarrierNotice.id).where(CarrierNotice.done_at.is_(None)).order_by(CarrierNotice.id)
            waiting = session.scalars(query.limit(AT_ONCE)).all()
        together = each_by_itself("notices", [tuple(waiting)], lambda some: _take(sessions, outside, some, clock()))
        taken = sum(together.values())
        if not together:
            singly = each_by_itself("notices", waiting, lambda one: _take_or_fail(sessions, outside, one, clock()))
            taken = sum(singly.values())
        if not taken:
            return done  # nothing waits, or another goes through what does
        done += taken


def _take_or_fail(sessions: sessionmaker[Session], outside: Outside, notice_id: int, now: datetime) -> int:
    try:
        return _take(sessions, outside, [notice_id], now)
    except Exception as error:
        with sessions.begin() as session:
            row = session.get_one(CarrierNotice, notice_id)
            row.done_at, row.failure = now, f"could not be taken: {type(error).__name__}"
        raise


def _take(sessions: sessionmaker[Session], outside: Outside, ids: Sequence[int], now: datetime) -> int:
    with sessions.begin() as session:
        query = select(CarrierNotice).where(CarrierNotice.id.in_(ids), CarrierNotice.done_at.is_(None))
        rows = session.scalars(query.order_by(CarrierNotice.id).with_for_update(skip_locked=True)).all()
        carriers = session.execute(select(CarrierRow.code, CarrierRow.states))
        states: dict[str, dict[str, str]] = {code: known for code, known in carriers}  # noqa: C416 - rows, not pairs
        told: defaultdict[tuple[str, str], list[CarrierEvent]] = defaultdict(list)
        for row in rows:
            events = [_read(event, states.get(row.carrier, {})) for event in row.body]
            for number, event in filter(None, events):
                told[row.carrier, number].append(event)
            unread = sum(one is None for one in events)
            row.done_at, row.failure = now, f"{unread} events make no sense" if unread else ""
        labels = session.execute(
            select(Label.id, Label.tracking_number, Shipment.carrier, Shipment.id)
            .join(Shipment, Shipment.id == Label.shipment_id)
            .where(Label.tracking_number.in_({number for _, number in told}))
            .where(Shipment.state.in_(LabelState.TRAVELS))
        ).all()
        mine = {label_id: told.get((carrier, number or ""), []) for label_id, number, carrier, _ in labels}
        shipments = select(Shipment).where(Shipment.id.in_({shipment_id for *_, shipment_id in labels}))
        found = session.scalars(shipments.order_by(Shipment.id).with_for_update(of=Shipment)).all()
        take_many(session, found, mine, outside.base_url, now)
        return len(rows)


def _read(event: Any, states: Mapping[str, str]) -> tuple[str, CarrierEvent] | None:
    with suppress(ValueError, KeyError, TypeError, AttributeError):
        return str(event["number"])[:40], read_event(event, states)
    return None


def subscribe_carriers(sessions: sessionmaker[Session], outside: Outside) -> int:
    """Ask the carriers that can to tell events by themselves, where they do not know our address; return how many."""
    with sessions() as session:
        query = select(CarrierRow).where(CarrierRow.removed_at.is_(None), CarrierRow.can.contains([SUBSCRIBE]))
        rows = [row for row in session.scalars(query) if row.subscribed != _hook(outside, row.code)]
        session.expunge_all()

    def ask(row: CarrierRow) -> None:
        with suppress(OutsideError):  # it is asked again in a minute, and about its parcels meanwhile
            outside.carrier(row).subscribe(_hook(outside, row.code))
            with sessions.begin() as session:
                session.get_one(CarrierRow, row.id).subscribed = _hook(outside, row.code)

    each_by_itself("subscribe", rows, ask)
    return len(rows)


def _hook(outside: Outside, code: str) -> str:
    return f"{outside.base_url}/api/hooks/carriers/{code}"
