"""What buyers wish of a delivery: asked on their page, told to the carrier until it has said yes or no."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from dataclasses import replace
from datetime import date, datetime, timedelta

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.addresses.check import tidy
from tidewind.core.states.labels import LabelState
from tidewind.core.states.wishes import WISH_MOVES, WishMove, WishState
from tidewind.core.tracking.states import TrackingState
from tidewind.core.wishing import Wish, choices, is_whole
from tidewind.db.tables import CarrierRow, ParcelWish, Shipment
from tidewind.outside.errors import OutsideError, RefusedOutside
from tidewind.services.base import (
    Conflict,
    Invalid,
    NotFound,
    Outside,
    defer,
    each_by_itself,
    is_due,
    move_row,
    write_history,
)
from tidewind.services.planning import shop_day

BUYER = "the buyer"
LONGEST_PAUSE = timedelta(minutes=30)
WISHED = {"other_day": "another day", "neighbour": "a neighbour", "collect": "a point near them"}


def ask_wish(session: Session, tracking_key: str, wish: Wish | None, now: datetime) -> ParcelWish:
    """Take a buyer's wish; its carrier is told in the background.

    Raises NotFound; Conflict where there is one already or it is too late; Invalid for what is no choice.
    """
    shipment = session.scalar(
        select(Shipment)
        .where(Shipment.tracking_key == tracking_key, Shipment.state.in_(LabelState.TRAVELS))
        .with_for_update(of=Shipment)
    )
    if shipment is None:
        raise NotFound("unknown_parcel", "There is no parcel at this address. Check the link in your mail.")
    can = session.scalar(select(CarrierRow.can).where(CarrierRow.code == shipment.carrier)) or []
    state, today = TrackingState(shipment.tracking_state), shop_day(session, now)
    may = choices(can, state, shipment.arrives, today, shipment.address.country)
    if not may.kinds:
        raise Conflict("too_late", "Nothing can be wished of this parcel any more.")
    if wish is None or not is_whole(replace(wish, words=tidy(wish.words)), may):
        raise Invalid("no_wish", "Choose one, and the day or the neighbour that belongs to it.")
    row = ParcelWish(
        shipment_id=shipment.id,
        idempotency_key=secrets.token_hex(16),
        kind=wish.kind,
        day=wish.day if wish.kind == "other_day" else None,
        words=tidy(wish.words) if wish.kind == "neighbour" else "",
        asked_at=now,
        next_at=now,
    )
    session.add(row)
    try:
        session.flush()
    except IntegrityError as error:
        raise Conflict("wished", "Something was wished of this parcel already.") from error
    write_history(session, shipment.order, BUYER, f"wished for {WISHED[row.kind]}", now)
    defer(session, "send_followups", lock="send_followups")
    return row


def tell_wishes(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> int:
    """Tell carriers what is wished and due to be told, each by itself; return how many have said yes or no."""
    now = clock()
    with sessions() as session:
        due = is_due(ParcelWish.next_at, now, LONGEST_PAUSE)
        query = select(ParcelWish.id).where(ParcelWish.state == WishState.ASKED, due)
        waiting = session.scalars(query.order_by(ParcelWish.id).limit(200)).all()
    done = each_by_itself("wishes", waiting, lambda one: _tell(sessions, outside, one, now))
    return sum(done.values())


def _ask_carrier(outside: Outside, carrier: CarrierRow, shipment: Shipment, row: ParcelWish, today: date) -> None:
    if shipment.state not in LabelState.TRAVELS:
        raise RefusedOutside("voided", "its label does not count any more")
    if row.day and row.day <= today:
        raise RefusedOutside("too_late", "the day has come before the carrier answered")
    wish, client = Wish(row.kind, row.day, row.words), outside.carrier(carrier)  # type: ignore[arg-type]
    for label in shipment.labels:
        client.wish(label.tracking_number or "", f"{row.idempotency_key}-{label.parcel_no}", wish)


def _tell(sessions: sessionmaker[Session], outside: Outside, wish_id: int, now: datetime) -> bool:
    """Ask for each parcel under a key of its own: asked again after a crash it is the same wish."""
    with sessions.begin() as session:
        row = session.scalar(select(ParcelWish).where(ParcelWish.id == wish_id).with_for_update(skip_locked=True))
        if row is None or row.state != WishState.ASKED:
            return False
        shipment = session.get_one(Shipment, row.shipment_id)
        carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == shipment.carrier)).one()
        try:
            _ask_carrier(outside, carrier, shipment, row, shop_day(session, now))
        except RefusedOutside as error:
            move_row(row, WISH_MOVES, WishState, WishMove.REFUSE)
            row.failure = str(error)[:300]
            write_history(session, shipment.order, carrier.name, f"cannot do what was wished: {row.failure}", now)
            return True
        except OutsideError as error:
            row.attempts += 1
            row.failure = str(error)[:300]
            row.next_at = now + min(timedelta(seconds=20 * 2 ** min(row.attempts, 8)), LONGEST_PAUSE)
            return False
        move_row(row, WISH_MOVES, WishState, WishMove.TAKE)
        row.failure = ""
        if row.day:
            shipment.arrives = row.day
        write_history(session, shipment.order, carrier.name, f"took the wish for {WISHED[row.kind]}", now)
        return True
