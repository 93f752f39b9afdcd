"""Settling pickups: carriers are asked outside any transaction, and each answer is written in one of its own.

As with purchases (``buying.settling``): whatever dies in between is settled by asking what became of the key.  No van
is asked for twice, no fee is lost or charged twice.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from tidewind.core.ledger import pickup_fee_kind
from tidewind.core.states.departures import DEPARTURE_MOVES, DepartureMove, DepartureState
from tidewind.core.states.pickups import PICKUP_MOVES, PickupMove, PickupState
from tidewind.core.tracking.states import TrackingState
from tidewind.db.tables import CarrierRow, Departure, Label, Pickup, Shipment
from tidewind.outside.carrier import CarrierClient
from tidewind.outside.errors import MaybeDone, NeverSent, NotBelieved, OutsideError, RefusedOutside
from tidewind.outside.handing_over import PickupAnswer, PickupWanted
from tidewind.services.base import Outside, is_due, move_row, side_by_side
from tidewind.services.books import Posting, post_all
from tidewind.services.handover.departures import plan_what_stays
from tidewind.services.handover.leaving import goes, stays_behind
from tidewind.services.handover.pickups import locked_pickup
from tidewind.services.planning import shop_settings

GIVE_UP_AFTER = timedelta(minutes=10)
LONGEST_PAUSE = timedelta(minutes=10)
SAID_TO_HAVE_COME_WITHIN = timedelta(hours=2)
"""So long after its window a van without a word from its carrier is waited for (shop policy)."""


def settle_pickups(sessions: sessionmaker[Session], outside: Outside, clock: Callable[[], datetime]) -> dict[int, str]:
    """Take every pickup that is due one step further; return the state of each afterwards.

    Asked for: the carrier is asked.  To be cancelled: it is told.  Booked and past its window: it is asked whether the
    van came.  One carrier's silence holds up only its own.
    """
    with sessions() as session:
        query = (
            select(Pickup.id, Departure.carrier)
            .join(Departure, Departure.id == Pickup.departure_id)
            .where(Pickup.state.in_(PickupState.STANDS), is_due(Pickup.next_try_at, clock(), timedelta(days=120)))
            .order_by(Pickup.next_try_at)
        )
        due = {pickup_id: carrier for pickup_id, carrier in session.execute(query)}  # noqa: C416 - rows
    done = side_by_side("settle pickups", due, lambda one: _settle(sessions, outside, one, clock))
    return {i: state for i, state in done.items() if state}


def _settle(sessions: sessionmaker[Session], outside: Outside, pickup_id: int, clock: Callable[[], datetime]) -> str:
    with sessions.begin() as session:
        pickup = locked_pickup(session, pickup_id)
        state, first = pickup.state, not pickup.attempts
        if state not in PickupState.STANDS:
            return state
        pickup.attempts += 1
        pickup.next_try_at = clock() + min(timedelta(seconds=10 * 2 ** min(pickup.attempts - 1, 6)), LONGEST_PAUSE)
        carrier = session.scalars(select(CarrierRow).where(CarrierRow.code == pickup.departure.carrier)).one()
        key, wanted, asked_at = pickup.idempotency_key, _wanted(session, pickup), pickup.asked_at
        client, name, most = outside.carrier(carrier), carrier.name, pickup.fee_minor + _tolerance(session)
    if state == PickupState.BOOKED:
        return _look(sessions, client, pickup_id, key, clock)
    if state == PickupState.CANCELLING:
        return _take_back(sessions, client, pickup_id, key, name, clock)
    try:
        answer: PickupAnswer | str = _book(client, name, key, wanted, most, first=first)
    except (NeverSent, MaybeDone):
        if clock() - asked_at <= GIVE_UP_AFTER or not _never_will_be(client, key):
            raise
        answer = f"{name} did not answer for ten minutes"
    with sessions.begin() as session:
        return _write(session, pickup_id, answer, clock())


def _tolerance(session: Session) -> int:
    return shop_settings(session).price_tolerance_minor


def _wanted(session: Session, pickup: Pickup) -> PickupWanted:
    instead = session.get(Pickup, pickup.replaces_id) if pickup.replaces_id else None
    return PickupWanted(
        network=pickup.departure.network,
        day=pickup.departure.day,
        start=pickup.start,
        until=pickup.until,
        address=pickup.address,
        spot=pickup.spot,
        note=pickup.note,
        contact=pickup.contact,
        phone=pickup.phone,
        parcels=pickup.parcels,
        classes=pickup.classes,
        gross_g=pickup.gross_g,
        heaviest_g=pickup.heaviest_g,
        longest_mm=pickup.longest_mm,
        expected_minor=pickup.fee_minor,
        account=pickup.account,
        manifest=pickup.manifest,
        instead_of=instead.idempotency_key if instead else "",
    )


def _book(
    client: CarrierClient, name: str, key: str, wanted: PickupWanted, most_minor: int, *, first: bool
) -> PickupAnswer | str:
    """Return the booking, or in words why there is none.  Raises NeverSent or MaybeDone where nobody knows."""
    try:
        answer = client.book_pickup(key, wanted)
    except RefusedOutside as refusal:
        # A repeat that is refused does not say that the first request was: only what stands under the key does.
        found = None if first else client.find_pickup(key)
        if found is None:
            return f"{name}: {refusal}"
        answer = found
    except NotBelieved as error:
        client.cancel_pickup(key)
        return f"{name}'s answer cannot be believed: {error}. It was taken back"
    except MaybeDone:
        found = client.find_pickup(key)
        if found is None:
            raise
        answer = found
    if answer.state == "cancelled":
        return f"{name}: it was cancelled"
    if answer.fee_minor > most_minor:
        client.cancel_pickup(key)
        return f"{name} asks more for it now than was shown. It was taken back; ask again if you agree"
    return answer


def _never_will_be(client: CarrierClient, key: str) -> bool:
    """Take a key back; tell whether its carrier has said that no van comes under it."""
    try:
        client.cancel_pickup(key)
    except OutsideError:
        return False
    return True


def _write(session: Session, pickup_id: int, answer: PickupAnswer | str, now: datetime) -> str:
    pickup = locked_pickup(session, pickup_id)
    if pickup.state != PickupState.ASKED:
        return pickup.state
    departure = session.get_one(Departure, pickup.departure_id, with_for_update=True)
    key, held = pickup.idempotency_key, pickup.fee_minor
    postings = [("release", held, f"release:{key}")] if pickup.payer == "balance" else []
    pickup.attempts = 0
    if isinstance(answer, str):
        move_row(pickup, PICKUP_MOVES, PickupState, PickupMove.REFUSE)
        pickup.words, pickup.settled_at, pickup.next_try_at = answer[:300], now, None
    else:
        _replace(session, pickup, now)
        move_row(pickup, PICKUP_MOVES, PickupState, PickupMove.BOOK)
        pickup.confirmation, pickup.words, pickup.fee_minor = answer.confirmation, answer.words, answer.fee_minor
        pickup.next_try_at = pickup.ends_at
        if pickup.payer == "balance" and answer.fee_minor != held:
            # Cheaper, or dearer within the tolerance: the hold is exchanged for one of the true sum.
            postings.append(("hold", answer.fee_minor, f"rehold:{key}"))
        elif pickup.payer == "balance":
            postings = []
        postings.append((pickup_fee_kind(pickup.payer), answer.fee_minor, f"pickup_fee:{key}"))  # type: ignore[arg-type]
        session.flush()
        plan_what_stays(session, departure, f"its van was asked for {pickup.start:%H:%M}", now)
    _post(session, pickup, postings, now)
    return pickup.state


def _replace(session: Session, pickup: Pickup, now: datetime) -> None:
    """The carrier has taken the new one in the booked one's stead: that one is cancelled, and its fee comes back."""
    if pickup.replaces_id is None:
        return
    before = locked_pickup(session, pickup.replaces_id)
    if before.state not in PickupState.AT_THE_CARRIER:
        return
    move_row(before, PICKUP_MOVES, PickupState, PickupMove.REPLACE)
    before.settled_at, before.next_try_at, before.cancelled_by = now, None, pickup.asked_by
    _fee_back(session, before, now)
    session.flush()  # before the new one is booked: a departure has one


def _post(session: Session, pickup: Pickup, entries: list[tuple[str, int, str]], now: datetime) -> None:
    departure = pickup.departure
    reason = f"Pickup by {departure.carrier} on {departure.day:%-d %B}"
    post_all(
        session,
        [Posting(kind, amount, key, reason, now, pickup_id=pickup.id) for kind, amount, key in entries if amount],
    )


def _fee_back(session: Session, pickup: Pickup, now: datetime) -> None:
    kind = pickup_fee_kind(pickup.payer, back=True)  # type: ignore[arg-type]  # the table checks it
    _post(session, pickup, [(kind, pickup.fee_minor, f"{kind}:{pickup.idempotency_key}")], now)


def _take_back(
    sessions: sessionmaker[Session],
    client: CarrierClient,
    pickup_id: int,
    key: str,
    name: str,
    clock: Callable[[], datetime],
) -> str:
    refused = ""
    try:
        client.cancel_pickup(key)
    except RefusedOutside as refusal:
        refused = str(refusal)
    with sessions.begin() as session:
        pickup = locked_pickup(session, pickup_id)
        if pickup.state != PickupState.CANCELLING:
            return pickup.state
        pickup.attempts = 0
        if refused:
            move_row(pickup, PICKUP_MOVES, PickupState, PickupMove.REFUSE_CANCEL)
            pickup.words, pickup.next_try_at = f"{name} does not cancel it: {refused}"[:300], pickup.ends_at
            return pickup.state
        move_row(pickup, PICKUP_MOVES, PickupState, PickupMove.CANCEL)
        pickup.settled_at, pickup.next_try_at = clock(), None
        _fee_back(session, pickup, clock())
        return pickup.state


def _look(
    sessions: sessionmaker[Session],
    client: CarrierClient,
    pickup_id: int,
    key: str,
    clock: Callable[[], datetime],
) -> str:
    """Ask whether a van came whose window is over; without a word it counts by what its carrier has scanned."""
    answer = None
    try:
        answer = client.find_pickup(key)
    except (NeverSent, MaybeDone):
        with sessions() as session:
            if clock() - session.get_one(Pickup, pickup_id).ends_at < SAID_TO_HAVE_COME_WITHIN:
                raise
    with sessions.begin() as session:
        pickup = locked_pickup(session, pickup_id)
        if pickup.state != PickupState.BOOKED:
            return pickup.state
        came = {"done": True, "missed": False, "cancelled": False}.get(answer.state if answer else "")
        waited = clock() - pickup.ends_at >= SAID_TO_HAVE_COME_WITHIN
        if came is None and (waited or answer is None):
            came = _scanned(session, pickup.departure_id)
            if not came and not waited:
                return pickup.state
        if came is None:
            return pickup.state
        words = answer.words if answer else ""
        return _came(session, pickup, words, clock()) if came else _missed(session, pickup, words, clock())


def _scanned(session: Session, departure_id: int) -> bool:
    """Tell whether the carrier has scanned any of a departure's parcels."""
    query = (
        select(func.count(Label.id))
        .join(Shipment, Shipment.id == Label.shipment_id)
        .where(Label.departure_id == departure_id, Shipment.tracking_state != TrackingState.ANNOUNCED)
    )
    return bool(session.scalar(query))


def _came(session: Session, pickup: Pickup, words: str, now: datetime) -> str:
    move_row(pickup, PICKUP_MOVES, PickupState, PickupMove.FETCH)
    pickup.settled_at, pickup.next_try_at, pickup.words = now, None, words
    departure = session.get_one(Departure, pickup.departure_id, with_for_update=True)
    if DEPARTURE_MOVES.may(DepartureState(departure.state), DepartureMove.HAND_OVER):
        goes(session, departure, "", "the carrier says so", now)
    return pickup.state


def _missed(session: Session, pickup: Pickup, words: str, now: datetime) -> str:
    move_row(pickup, PICKUP_MOVES, PickupState, PickupMove.MISS)
    pickup.next_try_at = None
    pickup.words = words or "nothing of it was scanned by the carrier"
    departure = session.get_one(Departure, pickup.departure_id, with_for_update=True)
    if DEPARTURE_MOVES.may(DepartureState(departure.state), DepartureMove.MISS):
        move_row(departure, DEPARTURE_MOVES, DepartureState, DepartureMove.MISS)
        session.flush()
        stays_behind(session, departure, None, "its van did not come", now)
        plan_what_stays(session, departure, "its van did not come", now)
    return pickup.state
