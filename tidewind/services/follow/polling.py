"""Ask carriers about the parcels that are due, many at a time where one can be asked so, each carrier by itself."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime, timedelta

import structlog
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.states.labels import LabelState
from tidewind.db.tables import CarrierRow, Label, Shipment
from tidewind.outside.carrier import CarrierClient, CarrierEvent
from tidewind.outside.errors import MaybeDone, NeverSent, NotBelieved
from tidewind.services.base import Outside, each_by_itself, side_by_side
from tidewind.services.follow.parcels import Told, take_many

log = structlog.get_logger(__name__)
AFTER_SILENCE = timedelta(minutes=10)
AT_ONCE, MOST_AT_ONCE = 50, 5_000
"""How many shipments are asked about in one question, and in one turn (shop policy)."""


def follow_parcels(
    sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime], limit: int = MOST_AT_ONCE
) -> int:
    """Ask the carriers about the shipments that are due; return how many were due.

    A carrier that does not answer is not asked about its other parcels in this round, and delays nobody else's.
    """
    with sessions() as session:
        due = session.execute(
            select(Shipment.id, Shipment.carrier)
            .where(Shipment.state.in_(LabelState.TRAVELS), Shipment.next_look_at <= clock())
            .order_by(Shipment.next_look_at)
            .limit(limit)
        ).all()
    of: defaultdict[str, list[int]] = defaultdict(list)
    for shipment_id, carrier in due:
        of[carrier].append(shipment_id)

    questions = {
        (carrier, start): carrier for carrier, waiting in of.items() for start in range(0, len(waiting), AT_ONCE)
    }

    def ask(question: tuple[str, int]) -> None:
        carrier, start = question
        some = of[carrier][start : start + AT_ONCE]
        if not _ask(sessions, outside, carrier, some, clock()):
            _put_off(sessions, of[carrier][start:], clock() + AFTER_SILENCE)
            raise NeverSent("it does not answer")

    side_by_side("follow", questions, ask)
    return len(due)


def _ask(sessions: sessionmaker[Session], outside: Outside, carrier: str, ids: Sequence[int], now: datetime) -> bool:
    """Ask about some shipments of one carrier and keep what is told; tell whether the carrier was there."""
    with sessions() as session:
        row = session.scalars(select(CarrierRow).where(CarrierRow.code == carrier)).one()
        labels = session.execute(select(Label.id, Label.tracking_number).where(Label.shipment_id.in_(ids))).all()
    label_of = {number: label_id for label_id, number in labels if number}
    try:
        answers = _answers(outside.carrier(row), list(label_of))
    except (NeverSent, MaybeDone):
        return False
    told = {label_of[number]: events for number, events in answers.items() if number in label_of}

    def write(some: Sequence[int]) -> None:
        _write(sessions, some, told, outside.base_url, now)

    if not each_by_itself("follow", [tuple(ids)], write):
        # One of them cannot be kept: by itself each of the others can.
        each_by_itself("follow", [(one,) for one in ids], write)
    return True


def _answers(client: CarrierClient, numbers: Sequence[str]) -> Mapping[str, Sequence[CarrierEvent]]:
    """Return what is told of parcels; where one answer spoils all, each is asked about by itself.

    Raises NeverSent or MaybeDone where the carrier does not answer.
    """
    try:
        return client.events_of(numbers)
    except NotBelieved:
        pass
    except (NeverSent, MaybeDone):
        raise
    except Exception:  # whatever it is, it must not stop the other parcels of this carrier for good
        log.exception("told of many", parcels=len(numbers))
    return each_by_itself("follow", numbers, lambda number: client.events_of([number]).get(number, ()))


def _write(sessions: sessionmaker[Session], ids: Sequence[int], told: Told, base_url: str, now: datetime) -> None:
    with sessions.begin() as session:
        query = select(Shipment).where(Shipment.id.in_(ids)).order_by(Shipment.id).with_for_update(of=Shipment)
        take_many(session, session.scalars(query).all(), told, base_url, now)


def _put_off(sessions: sessionmaker[Session], ids: Sequence[int], until: datetime) -> None:
    with sessions.begin() as session:
        session.execute(update(Shipment).where(Shipment.id.in_(ids)).values(next_look_at=until))
