"""Follow any number: parcels to us and those that were bought elsewhere, with a note to whoever waits for them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.addresses.check import tidy
from tidewind.core.addresses.mail import is_mail_address
from tidewind.core.tracking.folding import Heard, fold
from tidewind.core.tracking.states import FINAL, TrackingState
from tidewind.core.written import Written
from tidewind.db.tables import CarrierRow, FollowedNumber
from tidewind.outside.carrier import CarrierEvent
from tidewind.outside.errors import MaybeDone, NeverSent, OutsideError
from tidewind.services.base import Conflict, Invalid, NotFound, Outside, side_by_side
from tidewind.services.follow.polling import AFTER_SILENCE
from tidewind.services.planning import shop_settings

OFTEN, GIVE_UP = timedelta(hours=1), timedelta(days=60)
MOST = 500
TOLD_OF = frozenset(
    {
        TrackingState.OUT_FOR_DELIVERY,
        TrackingState.AWAITING_COLLECTION,
        TrackingState.DELIVERED,
        TrackingState.PROBLEM,
        TrackingState.RETURNING,
        TrackingState.LOST,
    }
)
"""What somebody who waits has to do with (shop policy)."""


@dataclass(frozen=True, slots=True)
class NumberToFollow:
    """A carrier's number, what is in the parcel, and who waits for it (a mail address, or nobody)."""

    carrier: str
    number: str
    what: str = ""
    tell_mail: str = ""


def follow_number(session: Session, wanted: NumberToFollow, who: str, now: datetime) -> FollowedNumber:
    """Follow a number from now on.  Raises NotFound, Invalid for what is none, Conflict where it is followed."""
    number = "".join(wanted.number.split()).upper()
    if not 4 <= len(number) <= 40 or not number.isascii() or not number.isalnum():
        raise Invalid("no_number", "Type the number on the label: letters and digits, 4 to 40 of them.")
    if wanted.tell_mail and not is_mail_address(wanted.tell_mail):
        raise Invalid("no_mail_address", f"{wanted.tell_mail[:60]} is no mail address.")
    carrier = session.scalar(select(CarrierRow.id).where(CarrierRow.code == wanted.carrier))
    if carrier is None:
        raise NotFound("unknown_carrier", "Choose one of the shop's carriers.")
    row = FollowedNumber(
        carrier=wanted.carrier,
        number=number,
        what=tidy(wanted.what)[:200],
        tell_mail=wanted.tell_mail,
        asked_by=who,
        next_look_at=now,
    )
    session.add(row)
    try:
        session.flush()
    except IntegrityError as error:
        raise Conflict("followed", f"{number} is followed already.") from error
    return row


def unfollow(session: Session, followed_id: int) -> None:
    """Follow a number no more.  Raises NotFound."""
    row = session.get(FollowedNumber, followed_id)
    if row is None:
        raise NotFound("unknown_number", "This number is not followed.")
    session.delete(row)


def followed_numbers(session: Session) -> Sequence[FollowedNumber]:
    """Return what is followed, what is still under way first."""
    query = select(FollowedNumber).order_by(FollowedNumber.next_look_at.is_(None), FollowedNumber.id.desc())
    return session.scalars(query.limit(MOST)).all()


def look_at_followed(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> int:
    """Ask about the numbers that are due, each carrier by itself; return how many were asked about."""
    with sessions() as session:
        query = select(FollowedNumber.id, FollowedNumber.carrier).where(FollowedNumber.next_look_at <= clock())
        of: defaultdict[str, list[int]] = defaultdict(list)
        for row_id, carrier in session.execute(query.order_by(FollowedNumber.next_look_at).limit(MOST)):
            of[carrier].append(row_id)
    due = {carrier: carrier for carrier in of}
    done = side_by_side("followed", due, lambda carrier: _ask(sessions, outside, carrier, of[carrier], clock()))
    return sum(done.values())


def _ask(sessions: sessionmaker[Session], outside: Outside, carrier: str, ids: Sequence[int], now: datetime) -> int:
    with sessions() as session:
        client = outside.carrier(session.scalars(select(CarrierRow).where(CarrierRow.code == carrier)).one())
        numbers = dict(
            session.execute(select(FollowedNumber.number, FollowedNumber.id).where(FollowedNumber.id.in_(ids))).all()
        )
    try:
        told = client.events_of(list(numbers))
    except (NeverSent, MaybeDone):
        told = None
    for number, row_id in numbers.items():
        with sessions.begin() as session:
            row = session.get(FollowedNumber, row_id, with_for_update=True)
            if row is None:
                continue
            if told is None:
                row.next_look_at = now + AFTER_SILENCE
            else:
                _take(session, outside, row, told.get(number, ()), now)
    return len(numbers)


def _take(session: Session, outside: Outside, row: FollowedNumber, told: Sequence[CarrierEvent], now: datetime) -> None:
    """Keep what is told, stand the parcel where all of it says, and tell whoever waits, once for each state."""
    row.events = [_written(event) for event in told] or row.events
    standing = fold([_heard(event) for event in row.events])
    row.state = standing.state
    row.failure = "" if row.events else "its carrier does not know this number"
    over = standing.state in FINAL or now - row.created_at > GIVE_UP
    row.next_look_at = None if over else now + OFTEN
    if row.tell_mail and standing.state in TOLD_OF and row.told != standing.state:
        shop, last = shop_settings(session), row.events[-1]
        words = (
            f"{row.what or 'The parcel'} ({row.number}): {last['words']}{', ' + last['spot'] if last['spot'] else ''}."
        )
        try:
            outside.mailer.send(shop.brand, shop.mail_from, row.tell_mail, f"News of {row.what or row.number}", words)
            row.told = standing.state
        except OutsideError as error:
            row.failure, row.next_look_at = f"the note could not be sent: {error}"[:200], now + AFTER_SILENCE


def _written(event: CarrierEvent) -> Written:
    return {
        "at": event.at.isoformat(),
        "state": event.state or "",
        "words": event.words,
        "spot": event.spot,
        "id": event.id,
        "takes_back": event.takes_back,
        "reason": event.reason,
    }


def _heard(event: Written) -> Heard:
    state = TrackingState(event["state"]) if event["state"] else None
    at = datetime.fromisoformat(event["at"])
    return Heard(at, state, event["id"], event["takes_back"], event["reason"], event["words"], event["spot"])
